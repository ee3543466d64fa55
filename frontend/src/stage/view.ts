/** Where the camera stands: framing what there is from a side, and picking by the nearest particle on screen. */

import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import { asFloats, type Block } from "@/api/block";
import type { FrameBlock, ShapesHead } from "@/state/frames";
import type { ViewName } from "@/state/viewpoint";
import type { LayerData } from "./drawing/data";

export const TOWARD: Record<ViewName, [number, number, number]> = {
  home: [0.42, 0.3, 1],
  front: [0, 0.0001, 1],
  side: [1, 0.0001, 0],
  above: [0, 1, 0.0001],
};

export interface Bounds {
  centre: Vector3;
  size: number;
}

/** Shapes this much larger than the usual one are surroundings, not the effect. */
const SURROUNDINGS = 2.2;
/** A region this much larger than the largest solid shape lies round the effect. */
const GUARD = 1.4;
/** Particles beyond this share on either side of an axis are strays. */
const STRAYS = 0.02;
const SAMPLED = 1500;
/** What is so many times smaller than its surroundings is only where the effect begins. */
const TINY = 8;
/** With fewer particles than this an effect has only begun; then so many times its size is framed. */
const FEW = 50;
const ROOM = 1.7;
const WIDE = 4;

/** Points that mark what there is: shapes, without those that are much larger than the others, and the particles without strays. */
export function extentOf(frame: FrameBlock | null, shapes: Block<ShapesHead> | null, only?: string): Vector3[] {
  const heads = shapes?.head.shapes ?? [];
  const placed = heads.map((base) => {
    const now = frame?.head.shapes.find((shape) => shape.id === base.id);
    const source = now?.geometry && frame ? frame : shapes!;
    return inWorld(asFloats(source, `shape ${base.index}/vertices`), (now ?? base).matrix);
  });
  if (only !== undefined) return placed[heads.findIndex((head) => head.id === only)] ?? [];
  const sizes = placed.map(diameter);
  const counted = sizes.filter((size) => size > 0).sort((a, b) => a - b);
  const usual = counted[Math.floor((counted.length - 1) / 2)] ?? 0;
  const largestSolid = Math.max(0, ...sizes.filter((_, index) => !heads[index]!.region && heads[index]!.visible));
  // What is solid can be surroundings, and a region round everything, such as a guard; a path or a helper is there to be seen.
  const around = (index: number) => {
    const { visible, region, line } = heads[index]!;
    if (region && largestSolid > 0) return sizes[index]! > largestSolid * GUARD;
    return visible && !region && !line && sizes[index]! > usual * SURROUNDINGS + 0.01;
  };
  const points = placed.flatMap((those, index) => (around(index) ? [] : those));
  const particles = frame ? withoutStrays(sampled(frame)) : [];
  const all = [...points, ...particles];
  if (all.length === 0) return placed.flat();
  const contained = placed.some((_, index) => around(index));
  const begun = (frame?.head.count ?? 0) >= FEW;
  return [...all, ...(contained ? roomFor(all, Math.max(0, ...sizes)) : begun ? [] : grown(all, largest(frame)))];
}

/** What has only begun, and nothing around it, will need more room than it takes: at least that of a few of its particles (m). */
function grown(points: Vector3[], radius: number): Vector3[] {
  const { centre } = boundsOf(points);
  const further = points.map((point) => point.clone().sub(centre).multiplyScalar(ROOM).add(centre));
  const around = [-1, 1].flatMap((side) => [
    new Vector3(side * WIDE * radius, 0, 0),
    new Vector3(0, side * WIDE * radius, 0),
    new Vector3(0, 0, side * WIDE * radius),
  ]);
  return [...further, ...around.map((way) => way.add(centre))];
}

/** The largest radius of those that are drawn as large as they are (m). */
function largest(frame: FrameBlock | null): number {
  const layers = frame?.head.layers ?? [];
  return Math.max(
    0,
    ...layers.map((layer, index) =>
      layer.shader === "dot"
        ? 0
        : asFloats(frame!, `${index}/radius`)
            .slice(0, FEW)
            .reduce((a, b) => Math.max(a, b), 0),
    ),
  );
}

/** Of what is tiny in its surroundings most is still to come: corners of a room for it, between its own size and theirs. */
function roomFor(points: Vector3[], surroundings: number): Vector3[] {
  const { centre, size } = boundsOf(points);
  if (size * TINY >= surroundings) return [];
  const reach = Math.sqrt(Math.max(size, 0.02 * surroundings) * surroundings) / 1.3;
  const ground = centre.y - size / 2;
  return [-1, 1].flatMap((x) =>
    [-1, 1].flatMap((z) =>
      [0, 1.3].map((up) => new Vector3(centre.x + x * reach, ground + up * reach, centre.z + z * reach)),
    ),
  );
}

function sampled(frame: FrameBlock): Vector3[] {
  const points: Vector3[] = [];
  frame.head.layers.forEach((layer, index) => {
    const values = asFloats(frame, `${index}/position`);
    const step = Math.max(1, Math.floor(layer.count / SAMPLED)) * 3;
    for (let at = 0; at + 2 < values.length; at += step) points.push(new Vector3().fromArray(values, at));
  });
  return points;
}

function withoutStrays(points: Vector3[]): Vector3[] {
  if (points.length < 20) return points;
  const ends = (["x", "y", "z"] as const).map((axis) => {
    const sorted = points.map((point) => point[axis]).sort((a, b) => a - b);
    const cut = Math.floor(sorted.length * STRAYS);
    return [sorted[cut]!, sorted[sorted.length - 1 - cut]!] as const;
  });
  const within = (value: number, [low, high]: readonly [number, number]) => value >= low && value <= high;
  return points.filter((at) => within(at.x, ends[0]!) && within(at.y, ends[1]!) && within(at.z, ends[2]!));
}

function inWorld(vertices: Float32Array, matrix: number[]): Vector3[] {
  const place = new Matrix4().fromArray(matrix);
  const points: Vector3[] = [];
  for (let at = 0; at + 2 < vertices.length; at += 3)
    points.push(new Vector3().fromArray(vertices, at).applyMatrix4(place));
  return points;
}

function diameter(points: Vector3[]): number {
  const { size } = boundsOf(points);
  return points.length ? size : 0;
}

/** Middle and diagonal of some points. */
export function boundsOf(points: readonly Vector3[]): Bounds {
  if (points.length === 0) return { centre: new Vector3(0, 1, 0), size: 4 };
  const low = points[0]!.clone();
  const high = points[0]!.clone();
  for (const point of points) {
    low.min(point);
    high.max(point);
  }
  return { centre: low.clone().add(high).multiplyScalar(0.5), size: high.distanceTo(low) };
}

/** Least room around what is framed, as a share of the picture. */
const MARGIN = 0.06;

/** Put the camera where all points just fill the picture, seen from a side. */
export function placeCamera(
  camera: PerspectiveCamera,
  target: Vector3,
  points: readonly Vector3[],
  view: ViewName | Vector3,
): void {
  const toward = (view instanceof Vector3 ? view.clone() : new Vector3(...TOWARD[view])).normalize();
  const right = new Vector3().crossVectors(new Vector3(0, 1, 0), toward).normalize();
  const up = new Vector3().crossVectors(toward, right);
  const { centre, size } = boundsOf(points);
  const least = Math.max(0.4, size) * 0.2;
  const tall = Math.tan((camera.fov * Math.PI) / 360) * (1 - MARGIN * 2);
  const wide = tall * camera.aspect;
  // Of each point: how far aside it lies, and how far toward the eye. A point is in the picture where |aside| ≤ depth · slope.
  let [left, righter, below, above] = [-Infinity, -Infinity, -Infinity, -Infinity];
  const off = new Vector3();
  for (const point of points.length ? points : [centre]) {
    off.subVectors(point, centre);
    const [x, y, z] = [off.dot(right), off.dot(up), off.dot(toward)];
    righter = Math.max(righter, x + z * wide);
    left = Math.max(left, -x + z * wide);
    above = Math.max(above, y + z * tall);
    below = Math.max(below, -y + z * tall);
  }
  const distance = Math.max((righter + left) / (2 * wide), (above + below) / (2 * tall), least / tall);
  const aside = (righter - left) / 2;
  const aloft = (above - below) / 2;
  target.copy(centre).addScaledVector(right, aside).addScaledVector(up, aloft);
  camera.position.copy(target).addScaledVector(toward, distance);
  camera.near = Math.max(1e-3, distance / 400);
  camera.far = distance * 60 + size * 20;
  camera.updateProjectionMatrix();
}

/** Pixels around a particle that still count as pointing at it. */
const REACH = 14;

interface Spot {
  id: number;
  /** Where it is on screen, in pixels, and how far from the eye. */
  x: number;
  y: number;
  depth: number;
  size: number;
  place: Vector3;
}

function* onScreen(layers: LayerData[], camera: PerspectiveCamera, width: number, height: number): Generator<Spot> {
  const point = new Vector3();
  const place = new Vector3();
  const scale = height / (2 * Math.tan((camera.fov * Math.PI) / 360));
  for (const layer of layers) {
    for (let index = 0; index < layer.head.count; index++) {
      place.fromArray(layer.position, index * 3);
      const depth = -point.copy(place).applyMatrix4(camera.matrixWorldInverse).z;
      if (depth <= camera.near) continue;
      point.applyMatrix4(camera.projectionMatrix);
      const radius = layer.radius[index]!;
      const size = layer.head.shader === "dot" ? radius : (radius * scale) / depth;
      const [x, y] = [((point.x + 1) / 2) * width, ((1 - point.y) / 2) * height];
      yield { id: layer.id[index]!, x, y, depth, size, place };
    }
  }
}

/** The particle under the pointer: the nearest to the eye among those within a few pixels, or null. */
export function pick(
  layers: LayerData[],
  camera: PerspectiveCamera,
  x: number,
  y: number,
  width: number,
  height: number,
): { id: number; place: Vector3 } | null {
  let best: { id: number; score: number; place: Vector3 } | null = null;
  for (const spot of onScreen(layers, camera, width, height)) {
    const off = Math.hypot(spot.x - x, spot.y - y);
    if (off > Math.max(REACH, spot.size)) continue;
    // Pixels count first; of those equally near, the one in front.
    const score = Math.max(0, off - spot.size) * 10 + spot.depth;
    if (!best || score < best.score) best = { id: spot.id, score, place: spot.place.clone() };
  }
  return best;
}

/** All particles within a rectangle on screen. */
export function within(
  layers: LayerData[],
  camera: PerspectiveCamera,
  box: { left: number; top: number; right: number; bottom: number },
  width: number,
  height: number,
): Set<number> {
  const found = new Set<number>();
  for (const { id, x, y } of onScreen(layers, camera, width, height)) {
    if (x >= box.left && x <= box.right && y >= box.top && y <= box.bottom) found.add(id);
  }
  return found;
}
