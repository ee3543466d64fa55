/** Finding kinds by whatever one would call them, or what they can be about. */

import type { Catalogue, FieldInfo, KindInfo } from "@/api/client";
import type { Node } from "@/state/document";
import { sought, type Words } from "@/ui/seeking";

/** An attribute as far as it can be called by a name. */
interface Named {
  id: string;
  label: string;
  also?: string;
}

/** Something that a kind can be about: an attribute by its label, or a quantity by its title and other words. */
interface About {
  field: FieldInfo;
  word: string;
  alias: string;
  also: string;
  value: Node | string;
}

function aboutOf(kind: KindInfo, catalogue: Catalogue, attributes: readonly Named[]): About[] {
  const field = kind.fields.find((entry) => entry.type === "reference" && entry.to === "attribute");
  const named = attributes.map(({ id, label, also = "" }) => ({ word: label, alias: id, also, id }));
  if (field) return named.map(({ id, ...words }) => ({ field, ...words, value: id }));
  const quantity = kind.fields.find((entry) => entry.slot === "quantity" && !entry.many);
  if (!quantity) return [];
  const taker = catalogue.slots.condition?.some((other) => other.facts_as === kind.kind) ?? false;
  const fitting = (catalogue.slots.quantity ?? []).filter((entry) => (entry.value_type === "flag") === taker);
  // Attributes are meant by their own names, too.
  const theirs = fitting.find((entry) => entry.leads)?.kind;
  return [
    ...fitting.map(({ title, also, kind }) => ({ field: quantity, word: title, alias: kind, also, value: { kind } })),
    ...(theirs ? named : []).map(({ id, ...words }) => ({
      field: quantity,
      ...words,
      value: { kind: theirs!, attribute: id },
    })),
  ];
}

export interface Found {
  kind: KindInfo;
  /** What the words have said besides the kind: who searches for "colour" and takes *set an attribute* means that one. */
  said: Node;
  /** That, in words. */
  word: string;
}

/** A kind of which nothing else is said. */
export const byItself = (kind: KindInfo): Found => ({ kind, said: {}, word: "" });

interface Candidate extends Found {
  words: Words;
}

/** How many things that one kind can be about are told apart. */
const ABOUT = 6;

/** The kinds that are called by some words, or of which what they can be about is: one after another for each of the best of those. */
export function found(
  kinds: readonly KindInfo[],
  search: string,
  catalogue: Catalogue,
  attributes: readonly Named[],
): Found[] {
  // What needs something made for it comes behind what does not.
  const needs = (kind: KindInfo) => kind.fields.some((field) => field.to === "neighbourhood" && field.required);
  const plain = [...kinds]
    .sort((one, other) => Number(needs(one)) - Number(needs(other)))
    .map((kind): Candidate => {
      const words = { name: kind.title, alias: kind.kind.replaceAll("_", " "), also: kind.also, help: kind.help };
      return { ...byItself(kind), words };
    });
  // Who only says what it is about means the kind that is made for that.
  const leading = plain.map(({ kind }) => kind).sort((one, other) => Number(other.leads) - Number(one.leads));
  const hits = sought(
    [...plain, ...leading.flatMap((kind) => about(kind, catalogue, attributes))],
    search,
    (hit) => hit.words,
  );
  const times = new Map<string, number>();
  return hits.filter(({ kind: { kind }, word }) => {
    const before = times.get(kind) ?? 0;
    times.set(kind, before + 1);
    return word ? before < ABOUT : before === 0;
  });
}

function about(kind: KindInfo, catalogue: Catalogue, attributes: readonly Named[]): Candidate[] {
  const around = `${kind.title} ${kind.also}`;
  return aboutOf(kind, catalogue, attributes).map(({ field, word, alias, also, value }) => ({
    kind,
    said: { [field.name]: value },
    word,
    words: { name: word, alias, also, around },
  }));
}
