/** Colour ramps on the page: their colours for drawing, and how a shipped one becomes stops of one's own. */

import type { Catalogue } from "@/api/client";
import type { Json, Node } from "@/state/document";
import type { Key } from "@/state/keys";
import { keysOf } from "@/state/keys";
import { fromHex, toHex } from "@/ui/colours";

/** Stops that a shipped ramp is turned into when one begins to edit it. */
const STOPS = 5;

export const isNamed = (ramp: Node): boolean => typeof ramp.named === "string";

export const stopsOf = (ramp: Node): Key[] => (Array.isArray(ramp.keys) ? (ramp.keys as unknown as Key[]) : []);

export function ramped(keys: readonly Key[]): Json {
  return { named: null, reversed: false, keys: keys as unknown as Json[] };
}

/** The ramp as a CSS background, from left to right. */
export function gradientOf(ramp: Node, ramps: Catalogue["ramps"], along = "to right"): string {
  if (isNamed(ramp)) {
    const colors = ramps[String(ramp.named)] ?? ["#000000", "#000000"];
    return `linear-gradient(${along}, ${(ramp.reversed ? [...colors].reverse() : colors).join(", ")})`;
  }
  const stops = stopsOf(ramp).flatMap((key, index, all) => {
    const color = toHex(key.value as number[]);
    const next = all[index + 1];
    return key.ease === "hold" && next
      ? [`${color} ${key.at * 100}%`, `${color} ${next.at * 100}%`]
      : [`${color} ${key.at * 100}%`];
  });
  if (ramp.reversed)
    return `linear-gradient(${along === "to right" ? "to left" : "to bottom"}, ${twice(stops).join(", ")})`;
  return `linear-gradient(${along}, ${twice(stops).join(", ")})`;
}

/** A gradient needs two colours at least. */
const twice = (stops: string[]): string[] =>
  stops.length === 1 ? [stops[0]!, stops[0]!] : stops.length ? stops : ["transparent", "transparent"];

/** A shipped ramp as stops to be moved about, evenly spaced. */
export function asStops(ramp: Node, ramps: Catalogue["ramps"]): Key[] {
  const own = keysOf(ramp as Json);
  if (!isNamed(ramp) && own) return own;
  const colors = ramps[String(ramp.named)] ?? ["#000000", "#ffffff"];
  const ordered = ramp.reversed ? [...colors].reverse() : colors;
  return Array.from({ length: STOPS }, (_, index) => {
    const at = index / (STOPS - 1);
    return { at, value: fromHex(ordered[Math.round(at * (ordered.length - 1))]!), ease: "linear" };
  });
}
