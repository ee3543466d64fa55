/** Putting particles in order of distance, far to near: a counting sort over depths cut into 65 536 steps. */

const STEPS = 65536;
const counts = new Uint32Array(STEPS + 1);

/** Rows from the furthest to the nearest along a direction (x, y, z); of equally far ones the first stays first. */
export function farToNear(position: Float32Array, ahead: readonly [number, number, number]): Uint32Array {
  const count = position.length / 3;
  const depth = new Float32Array(count);
  let low = Infinity;
  let high = -Infinity;
  for (let row = 0; row < count; row++) {
    const far = position[row * 3]! * ahead[0] + position[row * 3 + 1]! * ahead[1] + position[row * 3 + 2]! * ahead[2];
    depth[row] = far;
    if (far < low) low = far;
    if (far > high) high = far;
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
