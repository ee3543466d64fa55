/** Where the camera stands: framing what there is, views from the axes, and picking by the nearest particle on screen. */

import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import type { Block } from "@/api/block";
import type { FrameBlock, ShapesHead } from "@/state/trials";
import type { LayerData } from "./drawing/data";

export type ViewName = "home" | "front" | "side" | "above";

/** Lets the palette and shortcuts move the camera. */
export const stageView: { look: (view: ViewName) => void } = { look: () => undefined };

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

/** The middle and extent of the particles, and of visible shapes that are not much larger than they are. */
export function boundsOf(frame: FrameBlock | null, shapes: Block<ShapesHead> | null): Bounds {
  const low = new Vector3(Infinity, Infinity, Infinity);
  const high = new Vector3(-Infinity, -Infinity, -Infinity);
  const point = new Vector3();
  const take = (values: Float32Array, stride: number) => {
    for (let index = 0; index + 2 < values.length; index += 3 * stride) {
      point.set(values[index]!, values[index + 1]!, values[index + 2]!);
      if (point.lengthSq() < 1e8) {
        low.min(point);
        high.max(point);
      }
    }
  };
  const placed =
    shapes?.head.shapes.map((shape) =>
      inWorld(shapes.arrays[`shape ${shape.index}/vertices`] as Float32Array, shape.matrix),
    ) ?? [];
  const shapeSizes = placed.map(extent);
  const typical = [...shapeSizes].sort((a, b) => a - b)[Math.floor(shapeSizes.length / 2)] ?? 0;
  shapes?.head.shapes.forEach((_, index) => {
    if ((shapeSizes[index] as number) <= typical * 2.2 + 0.01) take(placed[index] as Float32Array, 1);
  });
  if (low.x > high.x) {
    frame?.head.layers.forEach((_, index) => take(frame.arrays[`${index}/position`] as Float32Array, 7));
  }
  if (low.x > high.x) return { centre: new Vector3(0, 1, 0), size: 4 };
  return { centre: low.clone().add(high).multiplyScalar(0.5), size: Math.max(0.5, high.distanceTo(low)) };
}

function inWorld(vertices: Float32Array, matrix: number[]): Float32Array {
  const out = new Float32Array(vertices.length);
  const place = new Matrix4().fromArray(matrix);
  const point = new Vector3();
  for (let index = 0; index + 2 < vertices.length; index += 3)
    point.fromArray(vertices, index).applyMatrix4(place).toArray(out, index);
  return out;
}

function extent(values: Float32Array): number {
  let most = 0;
  for (const axis of [0, 1, 2]) {
    let low = Infinity;
    let high = -Infinity;
    for (let index = axis; index < values.length; index += 3) {
      low = Math.min(low, values[index]!);
      high = Math.max(high, values[index]!);
    }
    most = Math.max(most, high - low);
  }
  return Number.isFinite(most) ? most : 0;
}

export function placeCamera(camera: PerspectiveCamera, target: Vector3, bounds: Bounds, view: ViewName): void {
  const toward = new Vector3(...TOWARD[view]).normalize();
  const half = Math.tan((camera.fov * Math.PI) / 360) * Math.min(1, camera.aspect);
  target.copy(bounds.centre);
  camera.position.copy(bounds.centre).addScaledVector(toward, (bounds.size * 0.47) / half);
  camera.near = bounds.size / 500;
  camera.far = bounds.size * 60;
  camera.updateProjectionMatrix();
}

const REACH = 14;

/** The particle under the pointer: the nearest to the eye among those within a few pixels, or null. */
export function pick(
  layers: LayerData[],
  camera: PerspectiveCamera,
  x: number,
  y: number,
  width: number,
  height: number,
): number | null {
  const point = new Vector3();
  let best: { id: number; score: number } | null = null;
  const scale = height / (2 * Math.tan((camera.fov * Math.PI) / 360));
  for (const layer of layers) {
    for (let index = 0; index < layer.head.count; index++) {
      point.set(layer.position[index * 3]!, layer.position[index * 3 + 1]!, layer.position[index * 3 + 2]!);
      const depth = -point.clone().applyMatrix4(camera.matrixWorldInverse).z;
      if (depth <= camera.near) continue;
      point.project(camera);
      const off = Math.hypot(((point.x + 1) / 2) * width - x, ((1 - point.y) / 2) * height - y);
      const size = layer.head.shader === "dot" ? layer.radius[index]! : (layer.radius[index]! * scale) / depth;
      if (off > Math.max(REACH, size)) continue;
      // Pixels count first; of those equally near, the one in front.
      const score = Math.max(0, off - size) * 10 + depth;
      if (!best || score < best.score) best = { id: layer.id[index]!, score };
    }
  }
  return best?.id ?? null;
}
