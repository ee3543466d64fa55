/** Putting particles in order of distance, far to near: a counting sort over depths cut into 65 536 steps. */

const STEPS = 65536;
const counts = new Uint32Array(STEPS + 1);

export type Direction = readonly [number, number, number];

/** How far along a direction (x, y, z) each place lies. `stride` numbers apart, every `every`-th of them. */
export function depthsOf(places: Float32Array, ahead: Direction, stride = 3, every = 1): Float32Array {
  const count = Math.floor(places.length / stride / every);
  const depth = new Float32Array(count);
  for (let row = 0; row < count; row++) {
    const at = row * every * stride;
    depth[row] = places[at]! * ahead[0] + places[at + 1]! * ahead[1] + places[at + 2]! * ahead[2];
  }
  return depth;
}

/** Rows from the furthest to the nearest; of equally far ones the first stays first. */
export function farToNear(depth: Float32Array): Uint32Array {
  const count = depth.length;
  let low = Infinity;
  let high = -Infinity;
  for (let row = 0; row < count; row++) {
    if (depth[row]! < low) low = depth[row]!;
    if (depth[row]! > high) high = depth[row]!;
  }
  const scale = high > low ? (STEPS - 1) / (high - low) : 0;
  counts.fill(0);
  const keys = new Uint16Array(count);
  for (let row = 0; row < count; row++) {
    const key = STEPS - 1 - Math.floor((depth[row]! - low) * scale);
    keys[row] = key;
    counts[key + 1]!++;
  }
  for (let key = 0; key < STEPS; key++) counts[key + 1]! += counts[key]!;
  const order = new Uint32Array(count);
  for (let row = 0; row < count; row++) order[counts[keys[row]!]!++] = row;
  return order;
}

/** Depths that part what lies in some layers into slabs of about equally many, the furthest first: one fewer than there are slabs. */
export function cutsOf(depths: Float32Array[], slabs: number): number[] {
  const all = Float32Array.from(
    depths.flatMap((depth) =>
      Array.from(
        { length: Math.min(400, depth.length) },
        (_, k) => depth[Math.floor((k * depth.length) / Math.min(400, depth.length))]!,
      ),
    ),
  );
  if (all.length === 0) return [];
  all.sort();
  const cuts = Array.from({ length: slabs - 1 }, (_, k) => all[Math.floor(((slabs - 1 - k) * all.length) / slabs)]!);
  return cuts.filter((cut, k) => k === 0 || cut < cuts[k - 1]!);
}
