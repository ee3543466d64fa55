/** Shapes as the server places them: solid where visible, a dashed outline where only helpers, a line for paths.
 * No code here knows how a kind is made. */

import {
  BufferAttribute,
  BufferGeometry,
  EdgesGeometry,
  Group,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
  Mesh,
  type Material,
  type ShaderMaterial,
} from "three";
import { Line2 } from "three/examples/jsm/lines/Line2.js";
import { LineGeometry } from "three/examples/jsm/lines/LineGeometry.js";
import { toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { asFloats, asWhole, type Block } from "@/api/block";
import type { FrameBlock, ShapeHead, ShapesHead } from "@/state/frames";
import type { Shade } from "../drawing/light";
import { shapeMaterial } from "../drawing/shapeMaterial";
import { shellOf } from "./shell";

/** Edges flatter than this are no edges (degrees). */
const CREASE = 18;
/** Slopes that meet at less than this are smooth (radians), in meshes of so many faces at the most. */
const SMOOTH = 0.5;
const MOST_SMOOTH = 30_000;
const ARM = 0.07;
const TONES = { solid: "#6b7c85", helper: "#71828a", chosen: "#a9d4dc" };

/** One shape on the stage. It is built anew when its geometry or manner changes, and only moved otherwise. */
interface Placed {
  signature: string;
  vertices: Float32Array;
  group: Group;
  /** What is solid of it, for the shade and for picking. */
  solid: Mesh | null;
  lines: LineMaterial[];
  parts: { geometry: BufferGeometry; material: Material | null }[];
}

export class ShapeScene {
  readonly object = new Group();
  private readonly placed = new Map<string, Placed>();
  private readonly plain: ShaderMaterial;
  private readonly chosen: ShaderMaterial;

  constructor(shade: Shade | undefined) {
    this.plain = shapeMaterial("#3b474e", shade);
    this.chosen = shapeMaterial("#526a74", shade);
  }

  /** Bring the shapes to how they are in a frame; one may be where it is being dragged to. */
  put(
    block: Block<ShapesHead> | null,
    frame: FrameBlock | null,
    selected: string | null,
    dragged: { id: string; matrix: number[] } | null,
  ): void {
    const there = new Set<string>();
    for (const base of block?.head.shapes ?? []) {
      const now = frame?.head.shapes.find((shape) => shape.id === base.id);
      const source = now?.geometry && frame ? frame : block!;
      const head = { ...(now ?? base), visible: base.visible };
      const vertices = asFloats(source, `shape ${base.index}/vertices`);
      const faces = asWhole(source, `shape ${base.index}/faces`);
      this.place(head, vertices, faces, base.id === selected);
      const { group } = this.placed.get(base.id)!;
      group.matrix.fromArray(dragged?.id === base.id ? dragged.matrix : head.matrix);
      group.matrixWorldNeedsUpdate = true;
      there.add(base.id);
    }
    for (const id of [...this.placed.keys()]) if (!there.has(id)) this.remove(id);
    this.object.updateMatrixWorld();
  }

  /** Solid shapes, as they cast shades. */
  get solids(): Mesh[] {
    return [...this.placed.values()].flatMap(({ solid, group }) => (solid && group.visible ? [solid] : []));
  }

  /** What can be pointed at, with the shape that each belongs to. */
  get pickable(): Mesh[] {
    return [...this.placed.values()].flatMap(({ group }) =>
      group.children.filter((child): child is Mesh => child instanceof Mesh && !(child instanceof Line2)),
    );
  }

  /** Wide lines are measured in pixels of the canvas. */
  resize(width: number, height: number): void {
    for (const { lines } of this.placed.values()) lines.forEach((line) => line.resolution.set(width, height));
  }

  dispose(): void {
    for (const id of [...this.placed.keys()]) this.remove(id);
    this.plain.dispose();
    this.chosen.dispose();
  }

  private place(head: ShapeHead, vertices: Float32Array, faces: Int32Array, chosen: boolean): void {
    const solid = head.visible && !head.region;
    const signature = `${head.line} ${head.visible} ${solid} ${chosen} ${faces.length}`;
    const known = this.placed.get(head.id);
    if (known?.signature === signature && known.vertices === vertices) return;
    this.remove(head.id);
    const group = new Group();
    group.matrixAutoUpdate = false;
    group.userData.shape = head.index;
    const made: Placed = { signature, vertices, group, solid: null, lines: [], parts: [] };
    if (head.line) this.path(made, vertices, chosen);
    else if (faces.length === 0) {
      if (head.visible || chosen) this.place_(made, chosen);
    } else this.surface(made, vertices, faces, solid, chosen);
    for (const child of group.children) child.userData.shape = head.index;
    this.placed.set(head.id, made);
    this.object.add(group);
  }

  private surface(made: Placed, vertices: Float32Array, faces: Int32Array, solid: boolean, chosen: boolean): void {
    const plain = new BufferGeometry();
    plain.setAttribute("position", new BufferAttribute(vertices, 3));
    plain.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
    if (solid) {
      const shaded = shadedOf(plain, faces.length / 3);
      made.solid = new Mesh(shaded, chosen ? this.chosen : this.plain);
      made.solid.renderOrder = -1;
      made.group.add(made.solid);
      made.parts.push({ geometry: shaded, material: null });
    } else {
      const shell = shellOf(vertices, faces, chosen ? 0.8 : 0.4);
      made.group.add(shell);
      made.parts.push({ geometry: shell.geometry, material: shell.material as Material });
    }
    const edges = new EdgesGeometry(plain, CREASE);
    const color = chosen ? TONES.chosen : solid ? TONES.solid : TONES.helper;
    const opacity = chosen ? 0.9 : solid ? 0.5 : 0.6;
    const pen = { color, transparent: true, opacity };
    // Dashes say that nothing solid is there.
    const size = Math.max(1e-3, extentOf(vertices));
    const material = solid
      ? new LineBasicMaterial(pen)
      : new LineDashedMaterial({ ...pen, dashSize: size / 60, gapSize: size / 60 });
    const outline = new LineSegments(edges, material);
    if (!solid) outline.computeLineDistances();
    made.group.add(outline);
    made.parts.push({ geometry: edges, material });
    plain.dispose();
  }

  private path(made: Placed, vertices: Float32Array, chosen: boolean): void {
    this.line(made, [...vertices], chosen ? TONES.chosen : TONES.helper, chosen ? 2.2 : 1.4, chosen ? 1 : 0.75);
  }

  /** A single place: three short bars crossing in it. */
  private place_(made: Placed, chosen: boolean): void {
    for (const axis of [0, 1, 2]) {
      const bar = [0, 0, 0, 0, 0, 0];
      bar[axis] = -ARM;
      bar[3 + axis] = ARM;
      this.line(made, bar, chosen ? TONES.chosen : TONES.helper, chosen ? 2 : 1.2, 1);
    }
  }

  private line(made: Placed, points: number[], color: string, linewidth: number, opacity: number): void {
    const geometry = new LineGeometry();
    geometry.setPositions(points);
    const material = new LineMaterial({ color, linewidth, transparent: true, opacity });
    const line = new Line2(geometry, material);
    line.frustumCulled = false;
    made.group.add(line);
    made.lines.push(material);
    made.parts.push({ geometry, material });
  }

  private remove(id: string): void {
    const gone = this.placed.get(id);
    if (!gone) return;
    this.object.remove(gone.group);
    for (const { geometry, material } of gone.parts) {
      geometry.dispose();
      material?.dispose();
    }
    this.placed.delete(id);
  }
}

/** With smooth slopes where it is round and edges where it is not; of very large meshes each face by itself. */
export function shadedOf(plain: BufferGeometry, faces: number): BufferGeometry {
  if (faces <= MOST_SMOOTH) return toCreasedNormals(plain, SMOOTH);
  const shaded = plain.toNonIndexed();
  shaded.computeVertexNormals();
  return shaded;
}

function extentOf(vertices: Float32Array): number {
  let most = 0;
  for (let at = 0; at < vertices.length; at++) most = Math.max(most, Math.abs(vertices[at]!));
  return most * 2;
}
