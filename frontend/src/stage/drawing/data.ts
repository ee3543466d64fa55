/** A frame's layers as typed arrays, and what one sees of them when groups are left out or drawn in their colours. */

import type { Typed } from "@/api/block";
import type { Node } from "@/state/document";
import type { FrameBlock, LayerHead } from "@/state/frames";

export interface LayerData {
  head: LayerHead;
  position: Float32Array;
  radius: Float32Array;
  color: Uint8Array;
  id: Int32Array;
  group: Uint8Array;
  /** What only some looks need: orientation, cell, roll, velocity, points, starts. */
  extra: Record<string, Typed>;
}

const COMMON = ["position", "radius", "color", "id", "group"];

export function layersOf(frame: FrameBlock | null): LayerData[] {
  if (!frame) return [];
  const byLayer: Record<string, Typed>[] = frame.head.layers.map(() => ({}));
  for (const [name, array] of Object.entries(frame.arrays)) {
    const slash = name.indexOf("/");
    const layer = byLayer[Number(name.slice(0, slash))];
    if (layer && slash > 0 && !name.startsWith("shape")) layer[name.slice(slash + 1)] = array;
  }
  return frame.head.layers.map((head, index) => {
    const given = byLayer[index]!;
    return {
      head,
      position: given.position as Float32Array,
      radius: given.radius as Float32Array,
      color: given.color as Uint8Array,
      id: given.id as Int32Array,
      group: given.group as Uint8Array,
      extra: Object.fromEntries(Object.entries(given).filter(([name]) => !COMMON.includes(name))),
    };
  });
}

/** What is drawn of the layers: without hidden groups, and with everybody in the colour of their group if one asked for that. */
export function asSeen(layers: LayerData[], groups: Node[], hidden: string[], byGroup: boolean): LayerData[] {
  if (hidden.length === 0 && !byGroup) return layers;
  const out = new Set(groups.flatMap((group, index) => (hidden.includes(String(group.id)) ? [index] : [])));
  const tones = byGroup
    ? groups.map((group) => [1, 3, 5].map((at) => parseInt(String(group.color).slice(at, at + 2), 16)))
    : null;
  return layers.map((layer) =>
    layer.head.shader === "ribbon" ? linesSeen(layer, out, tones) : particlesSeen(layer, out, tones),
  );
}

function particlesSeen(layer: LayerData, out: Set<number>, tones: number[][] | null): LayerData {
  const kept: number[] = [];
  const count = layer.head.count;
  const starts = layer.head.starts ? [0] : undefined;
  let form = 1;
  for (let row = 0; row < count; row++) {
    while (starts && row >= layer.head.starts![form]!) {
      starts.push(kept.length);
      form++;
    }
    if (!out.has(layer.group[row]!)) kept.push(row);
  }
  while (starts && starts.length < layer.head.starts!.length) starts.push(kept.length);
  const color = taken(layer.color, kept, 4);
  kept.forEach((row, at) => paint(color, at, tones?.[layer.group[row]!]));
  return {
    head: {
      ...layer.head,
      count: kept.length,
      seeThrough: layer.head.seeThrough,
      solid: layer.head.solid || tones !== null,
      starts,
    },
    position: taken(layer.position, kept, 3),
    radius: taken(layer.radius, kept, 1),
    color,
    id: taken(layer.id, kept, 1),
    group: taken(layer.group, kept, 1),
    extra: Object.fromEntries(
      Object.entries(layer.extra).map(([name, array]) => [name, taken(array, kept, count ? array.length / count : 1)]),
    ),
  };
}

/** Lines keep their points; those of groups that are left out lose their opacity. */
function linesSeen(layer: LayerData, out: Set<number>, tones: number[][] | null): LayerData {
  const color = layer.color.slice();
  const starts = layer.extra.starts as Int32Array;
  for (let line = 0; line < layer.head.count; line++) {
    const group = layer.group[line]!;
    for (let point = starts[line]!; point < starts[line + 1]!; point++) {
      if (out.has(group)) color[point * 4 + 3] = 0;
      else {
        const solid = color[point * 4 + 3]!;
        paint(color, point, tones?.[group]);
        color[point * 4 + 3] = solid;
      }
    }
  }
  return { ...layer, color, head: { ...layer.head, seeThrough: true } };
}

/** Lines that are not marked fade while others are. */
export function linesMarked(layer: LayerData, marked: Set<number>): Uint8Array {
  const color = layer.color.slice();
  const starts = layer.extra.starts as Int32Array;
  for (let line = 0; line < layer.head.count; line++) {
    if (marked.has(layer.id[line]!)) continue;
    for (let point = starts[line]!; point < starts[line + 1]!; point++)
      color[point * 4 + 3] = color[point * 4 + 3]! * 0.22;
  }
  return color;
}

function paint(color: Uint8Array, at: number, tone: number[] | undefined): void {
  if (!tone) return;
  for (let k = 0; k < 3; k++) color[at * 4 + k] = tone[k]!;
  // Nobody is too faint to be counted when states are read off.
  color[at * 4 + 3] = Math.max(110, color[at * 4 + 3]!);
}

export function taken<T extends Typed>(from: T, rows: ArrayLike<number>, width: number, into?: T): T {
  const made = into ?? new (from.constructor as new (length: number) => T)(rows.length * width);
  for (let at = 0; at < rows.length; at++) {
    const row = rows[at]!;
    for (let k = 0; k < width; k++) made[at * width + k] = from[row * width + k]!;
  }
  return made;
}
