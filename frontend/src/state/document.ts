/** An effect document as plain JSON, changed without mutation. The server validates; the page only moves values about. */

import type { Catalogue, FieldInfo, KindInfo } from "@/api/client";
import type { components } from "@/api/document";
import { attributeWord, reworded } from "./naming";

export type Json = string | number | boolean | null | Json[] | { [name: string]: Json };
export type Node = { [name: string]: Json };
export type Path = readonly (string | number)[];

/** Types of the document as its JSON Schema has them; parts whose kinds the page does not know of are handled as nodes. */
type Parts = components["schemas"];
export type Effect = Parts["Effect"];
export type Rule = Parts["Rule"];
export type Source = Parts["Source"];
export type Group = Parts["Group"];
export type Attribute = Parts["Attribute"];
export type Neighbourhood = Parts["Neighbourhood"];
export type Dial = Parts["Dial"];
export type Shape = Effect["shapes"][number];
export type Field = Effect["fields"][number];
export type Look = Effect["looks"][number];

/** The lists of a document, as far as something here is made for one of them; the catalogue has all (`collections`). */
export type Collection =
  "dials" | "shapes" | "fields" | "groups" | "neighbourhoods" | "attributes" | "sources" | "rules" | "looks";

/** The word for an item of a collection: what references call it. */
export const wordFor = (catalogue: Catalogue, collection: string): string =>
  catalogue.collections[collection]?.word ?? collection;

/** A list of the document by its name. */
export function listOf(effect: Effect, collection: string): readonly Node[] {
  const whole: Node = effect;
  const list = whole[collection];
  return Array.isArray(list) ? (list as Node[]) : [];
}

/** The items of the collection that references call by a word. */
const itemsOf = (effect: Effect, catalogue: Catalogue, word: string): readonly Node[] => {
  const found = Object.entries(catalogue.collections).find(([, declared]) => declared.word === word);
  return found ? listOf(effect, found[0]) : [];
};

/** The document with one more item in a list, at its end or at a place. */
export function grown(effect: Effect, collection: Collection, item: Node, place = effect[collection].length): Effect {
  const list = listOf(effect, collection);
  return withValue(effect, [collection], [...list.slice(0, place), item, ...list.slice(place)]);
}

export function at(node: Json, path: Path): Json | undefined {
  let current: Json | undefined = node;
  for (const key of path) current = (current as Record<string | number, Json> | null | undefined)?.[key];
  return current;
}

export function withValue<T extends Json>(node: T, path: Path, value: Json | undefined): T {
  if (path.length === 0) return value as T;
  const [key, ...rest] = path;
  if (Array.isArray(node)) {
    const copy = [...node] as Json[];
    if (rest.length === 0 && value === undefined) copy.splice(key as number, 1);
    else copy[key as number] = withValue(copy[key as number] ?? null, rest, value);
    return copy as T;
  }
  const copy = { ...(node as Node) };
  if (rest.length === 0 && value === undefined) delete copy[key as string];
  else copy[key as string] = withValue(copy[key as string] ?? {}, rest, value);
  return copy as T;
}

/** Where something stands, items of lists by their ids: "rules/melt/actions/0". It stays the same when lists are put in another order. */
export function addressOf(root: Json, path: Path): string {
  let current: Json | undefined = root;
  return path
    .map((key) => {
      const list = Array.isArray(current);
      current = (current as Record<string | number, Json> | null | undefined)?.[key];
      const id =
        list && current !== null && typeof current === "object" && !Array.isArray(current)
          ? (current as Node | undefined)?.id
          : undefined;
      return String(id ?? key);
    })
    .join("/");
}

/** The path to an address, as things stand; null where there is nothing of that name any more. */
export function pathTo(root: Json, address: string): Path | null {
  const path: (string | number)[] = [];
  let current: Json | undefined = root;
  for (const name of address.split("/")) {
    if (current === null || typeof current !== "object") return null;
    if (Array.isArray(current)) {
      const place: number = current.findIndex((entry) => (entry as Node | null)?.id === name);
      path.push(place);
      current = current[place];
    } else {
      path.push(name);
      current = (current as Node)[name];
    }
    if (current === undefined) return null;
  }
  return path;
}

/** The document with an id for every part in a list within its items that has none, or that of another. Whatever is
 * as `before` is not looked at. */
export function identified<T extends Json>(node: T, before: Json | undefined, depth = 0): T {
  if (node === before || node === null || typeof node !== "object") return node;
  const known = before as Record<string | number, Json> | null | undefined;
  if (!Array.isArray(node)) {
    const entries = Object.entries(node as Node).map(
      ([name, value]) => [name, identified(value, known?.[name], depth + 1)] as const,
    );
    return entries.some(([name, value]) => value !== (node as Node)[name]) ? (Object.fromEntries(entries) as T) : node;
  }
  const parts = node.map((entry, index) => identified(entry, known?.[index], depth + 1));
  // Items of collections, right below the document, have ids of their own.
  if (depth > 1 && parts.some((part) => part !== null && typeof part === "object" && "kind" in part)) {
    const taken = new Set<Json | undefined>();
    const wanted = new Set(parts.map((part) => (part as Node).id));
    parts.forEach((part, index) => {
      let id = (part as Node).id;
      if (typeof id !== "string" || taken.has(id)) {
        let number = index;
        while (taken.has(String(number)) || wanted.has(String(number))) number++;
        id = String(number);
        parts[index] = { ...(part as Node), id };
      }
      taken.add(id);
    });
  }
  return parts.some((part, index) => part !== node[index]) ? (parts as Json as T) : node;
}

export function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const copy = [...list];
  const [item] = copy.splice(from, 1);
  copy.splice(to, 0, item as T);
  return copy;
}

/** Whether two values mean the same; what is the very same object is not spelled out for it. */
export const same = (a: Json | undefined, b: Json | undefined): boolean =>
  a === b || JSON.stringify(a) === JSON.stringify(b);

/** A document as text that is the same for the same content, whatever the order of its fields. */
export const canonical = (node: Json): string =>
  JSON.stringify(node, (_name, value: Json) =>
    value && typeof value === "object" && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  );

/** A name without the number that it counts by, and the number from which on the next is looked for. */
function counted(name: string, before: string): [stem: string, next: number] {
  const [, stem, number] = new RegExp(`^(.*\\S)${before}(\\d{1,6})$`).exec(name) ?? [];
  return stem ? [stem, Number(number) + 1] : [name, 2];
}

export function freshId(base: string, taken: readonly Node[]): string {
  const whole =
    base
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 30) || "item";
  const used = new Set(taken.map((item) => item.id));
  if (!used.has(whole)) return whole;
  const [stem, next] = counted(whole, "-");
  for (let n = next; ; n++) if (!used.has(`${stem}-${n}`)) return `${stem}-${n}`;
}

export function freshLabel(base: string, taken: readonly Node[]): string {
  const used = new Set(taken.map((item) => item.label));
  if (!used.has(base)) return base;
  const [stem, next] = counted(base, " ");
  for (let n = next; ; n++) if (!used.has(`${stem} ${n}`)) return `${stem} ${n}`;
}

export function kindOf(catalogue: Catalogue, slot: string, kind: Json | undefined): KindInfo | undefined {
  return catalogue.slots[slot]?.find((entry) => entry.kind === kind);
}

/** A new part with all defaults, its references pointing at the newest thing there is. */
export function made(info: KindInfo, effect: Effect, catalogue: Catalogue, withKind = true): Node {
  const node: Node = withKind ? { kind: info.kind } : {};
  for (const field of info.fields) node[field.name] = structuredClone(firstValue(field, effect, catalogue));
  return node;
}

function firstValue(field: FieldInfo, effect: Effect, catalogue: Catalogue): Json {
  if (field.many) return [];
  if (!field.required) return (field.default ?? null) as Json;
  const newest = (list: readonly Node[]): Json => list.at(-1)?.id ?? "";
  if (field.to === "attribute") return "radius";
  return field.to ? newest(itemsOf(effect, catalogue, field.to)) : ((field.default ?? "") as Json);
}

/** The fields of everything that has this kind, and of all fixed parts. */
function fieldsOf(catalogue: Catalogue, kind: Json | undefined): FieldInfo[] {
  return Object.values(catalogue.slots)
    .flat()
    .filter((entry) => entry.kind === kind)
    .concat(Object.values(catalogue.parts))
    .flatMap((entry) => entry.fields);
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** Calls in a formula that name one thing, by its id or label: field("Veil"). */
function callsOf(field: FieldInfo, to: string, names: string[]): RegExp | null {
  const calls = Object.entries(field.lookups ?? {}).flatMap(([call, what]) => (what === to ? [call] : []));
  return calls.length
    ? new RegExp(`\\b(${calls.join("|")})\\(\\s*(["'])(${names.map(escaped).join("|")})\\2\\s*\\)`, "g")
    : null;
}

/** The document with an item under another label, formulas that name it included. */
export function relabelled(
  effect: Effect,
  catalogue: Catalogue,
  collection: Collection,
  index: number,
  label: string,
): Effect {
  const item = listOf(effect, collection)[index];
  const before = String(item?.label ?? "");
  // In a call that may name several sorts of things a label is only known for sure if nothing else has it.
  const alone =
    Object.keys(catalogue.collections)
      .flatMap((name) => listOf(effect, name))
      .filter((entry) => entry.label === before).length === 1;
  const named = (quote: string): string => `${quote}${label.includes(quote) ? String(item!.id) : label}${quote}`;
  const changed = withValue(effect, [collection, index, "label"], label);
  const words = [effect, changed].map((given) =>
    collection === "attributes" ? attributeWord(catalogue, given.attributes, index) : "",
  );
  const renamed = (given: string, field: FieldInfo): string => {
    const text = words[0] === words[1] ? given : reworded(given, words[0]!, words[1]!);
    const calls = callsOf(field, wordFor(catalogue, collection), [before]);
    const known = calls ? text.replace(calls, (_all, call: string, quote: string) => `${call}(${named(quote)})`) : text;
    return alone
      ? known.replace(new RegExp(`(["'])${escaped(before)}\\1`, "g"), (_all, quote: string) => named(quote))
      : known;
  };
  const visit = (node: Json): Json => {
    if (Array.isArray(node)) return node.map(visit);
    if (node === null || typeof node !== "object") return node;
    const formulas = fieldsOf(catalogue, node.kind).filter((field) => field.type === "formula");
    return Object.fromEntries(
      Object.entries(node).map(([name, value]) => {
        const field = typeof value === "string" ? formulas.find((entry) => entry.name === name) : undefined;
        return [name, field ? renamed(value as string, field) : visit(value)];
      }),
    );
  };
  return before ? (visit(changed) as Effect) : changed;
}

/** Where an item is used, in words, so that deleting it can say so. */
export function usesOf(effect: Effect, catalogue: Catalogue, to: string, id: string): string[] {
  const found: string[] = [];
  const label = itemsOf(effect, catalogue, to).find((item) => item.id === id)?.label;
  const visit = (node: Json, owner: string): void => {
    if (Array.isArray(node)) return node.forEach((entry) => visit(entry, owner));
    if (node === null || typeof node !== "object") return;
    const fields = fieldsOf(catalogue, node.kind);
    for (const [name, value] of Object.entries(node)) {
      const refers = fields.some((field) => field.name === name && field.to === to);
      const formula =
        typeof value === "string" ? fields.find((field) => field.name === name && field.type === "formula") : undefined;
      const quoted = new RegExp(`(["'])(${[id, String(label ?? id)].map(escaped).join("|")})\\1`);
      const calls = !!formula && (callsOf(formula, to, [id, String(label ?? id)]) ?? quoted).test(value as string);
      if (calls) found.push(owner);
      else if (refers && (value === id || (Array.isArray(value) && value.includes(id)))) found.push(owner);
      else if (to === "dial" && (value === `dial:${id}` || (Array.isArray(value) && value.includes(`dial:${id}`))))
        found.push(owner);
      else if (typeof value === "object") visit(value, owner);
    }
  };
  for (const [collection, { word }] of Object.entries(catalogue.collections)) {
    listOf(effect, collection).forEach((item, index) => {
      if (!(word === to && item.id === id)) visit(item, nameOf(item, word, index));
    });
  }
  return [...new Set(found)];
}

/** What an item is called: its label, or the word for it with its number. */
export function nameOf(item: Node, word: string, index: number): string {
  return (item.label as string) || `${word} ${index + 1}`;
}

/** Names of fields that hold curves over something else than time, which are no keyframes. */
export function curvesOf(catalogue: Catalogue): ReadonlySet<string> {
  const kinds = [...Object.values(catalogue.slots).flat(), ...Object.values(catalogue.parts)];
  return new Set(
    kinds.flatMap((kind) => kind.fields.filter((field) => field.type === "curve").map((field) => field.name)),
  );
}
