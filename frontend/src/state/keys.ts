/** Keyframes as the page moves them about: a number's place may hold a curve of keys. Their values in between come from the server. */

import type { Json, Node } from "./document";

export type Ease = "linear" | "hold" | [number, number, number, number];
export type KeyValue = number | number[];

export interface Key {
  at: number;
  value: KeyValue;
  ease: Ease;
}

export const SMOOTH: Ease = [0.42, 0, 0.58, 1];

/** Two keys nearer than this are one (seconds, or a share of life). */
const SAME = 1e-4;

export function keysOf(value: Json | undefined): Key[] | null {
  if (value === null || typeof value !== "object" || Array.isArray(value)) return null;
  const keys = (value as Node).keys;
  return Array.isArray(keys) ? (keys as unknown as Key[]) : null;
}

export const curve = (keys: readonly Key[]): Json => ({ keys: keys as unknown as Json[] });

const round = (value: number): number => Number(value.toFixed(4));

/** The keys with one more at a place, or with that one changed. */
export function withKey(keys: readonly Key[], at: number, value: KeyValue): Key[] {
  const there = keys.findIndex((key) => Math.abs(key.at - at) < SAME);
  if (there >= 0) return keys.map((key, index) => (index === there ? { ...key, value } : key));
  const before = keys.filter((key) => key.at < at);
  const ease = before.at(-1)?.ease ?? keys[0]?.ease ?? SMOOTH;
  return [...before, { at: round(at), value, ease }, ...keys.filter((key) => key.at > at)];
}

/** Between which places a key can stand: its neighbours, or the ends. */
export function roomFor(keys: readonly Key[], index: number, least = 0, most = Infinity): [low: number, high: number] {
  const low = index > 0 ? keys[index - 1]!.at + SAME * 2 : least;
  const high = index < keys.length - 1 ? keys[index + 1]!.at - SAME * 2 : most;
  return [low, high];
}

/** Move a key; it stays between its neighbours. */
export function movedKey(
  keys: readonly Key[],
  index: number,
  at: number,
  value: KeyValue,
  least = 0,
  most = Infinity,
): Key[] {
  const [low, high] = roomFor(keys, index, least, most);
  return keys.map((key, k) => (k === index ? { ...key, at: round(Math.min(high, Math.max(low, at))), value } : key));
}

/** Before the first and after the last key the curve stays; in between the value is the server's, or as a start that of the key before. */
export function valueNear(keys: readonly Key[], at: number): KeyValue {
  return (keys.filter((key) => key.at <= at + SAME).at(-1) ?? keys[0]!).value;
}

/** What a value that may have keyframes is at a moment: as the server has computed it, else nearly. */
export function valueNow(given: Json | undefined, computed: KeyValue | undefined, at: number): Json | undefined {
  const keys = keysOf(given);
  return keys ? ((computed ?? valueNear(keys, at)) as Json) : given;
}

export const keyAt = (keys: readonly Key[], at: number, within = SAME): number =>
  keys.findIndex((key) => Math.abs(key.at - at) <= within);

/** Paths of all keyframed numbers in a part of the document; `curves` are the names of fields that hold curves over
 * something else than time. */
export function keyedPaths(
  node: Json,
  curves: ReadonlySet<string>,
  path: (string | number)[] = [],
): (string | number)[][] {
  if (node === null || typeof node !== "object") return [];
  if (!Array.isArray(node) && keysOf(node) && Object.keys(node).length === 1)
    return curves.has(String(path.at(-1))) ? [] : [path];
  const entries: [string | number, Json][] = Array.isArray(node)
    ? node.map((entry, index) => [index, entry])
    : Object.entries(node);
  return entries.flatMap(([name, entry]) => keyedPaths(entry, curves, [...path, name]));
}
