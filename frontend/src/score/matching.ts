/** Finding kinds by whatever one would call them, or what they can be about. */

import type { Catalogue, FieldInfo, KindInfo } from "@/api/client";
import type { Node } from "@/state/document";

/** An attribute as far as it can be called by a name. */
interface Named {
  id: string;
  label: string;
}

/** What a kind's field can be about: attributes by their labels, or quantities by their titles and other words. */
interface About {
  field: FieldInfo;
  entries: { word: string; text: string; value: Node | string }[];
}

function aboutOf(kind: KindInfo, catalogue: Catalogue, attributes: readonly Named[]): About | null {
  const attribute = kind.fields.find((field) => field.type === "reference" && field.to === "attribute");
  if (attribute)
    return { field: attribute, entries: attributes.map(({ id, label }) => ({ word: label, text: label, value: id })) };
  const quantity = kind.fields.find((field) => field.slot === "quantity" && !field.many);
  if (!quantity) return null;
  const taker = catalogue.slots.condition?.some((other) => other.facts_as === kind.kind);
  const fitting = (catalogue.slots.quantity ?? []).filter(
    (entry) => (entry.value_type === "flag") === (taker ?? false),
  );
  const entries = fitting.map(({ title, also, kind }) => ({ word: title, text: `${title} ${also}`, value: { kind } }));
  return { field: quantity, entries };
}

const wordsOf = (search: string): string[] =>
  search
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== "");

/** Whether each of some words begins one of a text. */
const begins = (text: string, words: readonly string[]): boolean => {
  const parts = text.toLowerCase().split(/[^\p{L}\p{N}]+/u);
  return words.every((word) => parts.some((part) => part.startsWith(word)));
};

/** What is called by some words: by its first word rather than by a later one. */
const named = (entries: About["entries"], words: readonly string[]): About["entries"][number] | undefined => {
  const fitting = entries.filter(({ text }) => begins(text, words));
  return fitting.find(({ text }) => text.toLowerCase().startsWith(words[0]!)) ?? fitting[0];
};

export interface Found {
  kind: KindInfo;
  /** What the words have said besides the kind: who searches for "colour" and takes *set an attribute* means that one. */
  said: Node;
  /** That, in words. */
  word: string;
}

/** The kinds of which, or of what they can be about, all words of a search are said; those of which they are said themselves first. */
export function found(
  kinds: readonly KindInfo[],
  search: string,
  catalogue: Catalogue,
  attributes: readonly Named[],
): Found[] {
  const words = wordsOf(search);
  const own: Found[] = [];
  const about: Found[] = [];
  for (const kind of kinds) {
    const text = `${kind.title} ${kind.category} ${kind.also} ${kind.help}`.toLowerCase();
    const left = words.filter((word) => !text.includes(word));
    const its = words.length ? aboutOf(kind, catalogue, attributes) : null;
    // The words that are not of the kind tell what it is about; where all are, all or any of them may.
    const telling =
      left.length > 0 ? [left] : [words, ...words.filter((word) => word.length > 2).map((word) => [word])];
    const entry = its && telling.map((some) => named(its.entries, some)).find((one) => one !== undefined);
    const said: Node = its && entry ? { [its.field.name]: entry.value } : {};
    const word = entry?.word ?? "";
    if (left.length === 0) own.push({ kind, said, word });
    else if (entry) about.push({ kind, said, word });
  }
  // The very words of a title come first, then one that begins with them; what is called so comes before what is also called so, and that
  // before what only says so somewhere.
  const wanted = words.join(" ");
  const exactly = (title: string) => (title === wanted ? 2 : title.startsWith(wanted) ? 1 : 0);
  const called = ({ kind: { title, also } }: Found) =>
    words.reduce((sum, word) => sum + (begins(title, [word]) ? 2 : begins(also, [word]) ? 1 : 0), 0);
  const ranked = (list: Found[]) =>
    list.sort(
      (one, other) =>
        exactly(other.kind.title.toLowerCase()) - exactly(one.kind.title.toLowerCase()) || called(other) - called(one),
    );
  return [...ranked(own), ...ranked(about)];
}
