/** One look on the graphics card. Made anew for each frame's data; the stage and finished pictures draw the same objects. */

import {
  AdditiveBlending,
  Group,
  InterleavedBufferAttribute,
  InstancedBufferGeometry,
  InstancedInterleavedBuffer,
  BufferAttribute,
  Mesh,
  NoBlending,
  NormalBlending,
  Points,
  ShaderMaterial,
  Sphere,
  Vector2,
  Vector3,
  type BufferGeometry,
  type Camera,
  type Object3D,
  type Texture,
} from "three";
import type { Typed } from "@/api/block";
import { Copies, PointCopies, SQUARE, type Base, type Column } from "./copies";
import { linesMarked, taken, type LayerData } from "./data";
import { cutsOf, depthsOf, farToNear, type Direction } from "./order";
import {
  FORM_FRAGMENT,
  FORM_VERTEX,
  PARTICLE_FRAGMENT,
  PARTICLE_VERTEX,
  RIBBON_FRAGMENT,
  RIBBON_VERTEX,
} from "./shaders";
import type { Materials } from "./materials";
import type { Sources } from "./sources";

/** What the camera and the canvas are: pixels a metre at distance 1, canvas pixels a page pixel, canvas size in pixels. */
export interface View {
  scale: number;
  density: number;
  width: number;
  height: number;
}

export interface Options {
  /** The trial whose solid forms are meant. */
  trial: string;
  marked: Set<number> | null;
  /** Whether those that are not marked step back. */
  dim: boolean;
  /** Four corners a particle instead of a point: exact at any size and at the picture's edge, slower without a graphics card. */
  quads: boolean;
  /** A copy of every small mesh for each particle, for where there is no graphics card. */
  merged: boolean;
  sources: Sources;
  materials: Materials;
  /** Told when a picture has been fetched, to draw again. */
  onReady: () => void;
}

const SHAPES: Record<string, number> = { dot: 0, disc: 1, ball: 2, sheet: 3, picture: 4 };
const SOLID = 0;
const SEE_THROUGH = 1;
const LIGHT = 2;
const RING = new Vector3(0.66, 0.83, 0.86);

/** Where see-through looks begin in the order of drawing; shapes and lines of the stage come before. */
const AFTER_SOLID = 10;

/** Slabs of depth in which several see-through looks are drawn one after another, so that the nearer covers the
 * further whichever look it is of. */
const SLABS = 8;

/** A quad along each piece of a ribbon: from its start (x 0) to its end (x 1), on both sides (y). */
const STRIP: Base = { position: new Float32Array([0, -1, 0, 1, -1, 0, 1, 1, 0, 0, 1, 0]), index: [0, 1, 2, 0, 2, 3] };

export class DrawnLayer {
  readonly object = new Group();
  private readonly materials: ShaderMaterial[] = [];
  private readonly geometries: BufferGeometry[] = [];
  private readonly copies: Copies[] = [];
  private readonly points: PointCopies[] = [];
  private columns: (Column & { from: Typed })[] = [];
  /** What is drawn far to near, a geometry for each slab over the same values in order. */
  private ordered: Copies | PointCopies | null = null;
  private slabs: BufferGeometry[] = [];
  private slabMaterials: ShaderMaterial[] = [];

  constructor(
    readonly data: LayerData,
    private readonly options: Options,
    rank = 0,
  ) {
    const { head } = data;
    const soft =
      head.shader === "picture" || (head.shader === "disc" && (head.softness ?? 0) > 0) || head.shader === "ribbon";
    const passes: number[] = [];
    if (head.mixing === "light") passes.push(LIGHT);
    else {
      if (head.solid) passes.push(SOLID);
      if (head.seeThrough || soft || (options.dim && options.marked !== null)) passes.push(SEE_THROUGH);
    }
    // Rings are drawn solid, whatever is within them.
    if (options.marked && !passes.includes(SOLID)) passes.push(SOLID);
    if (head.count === 0) return;
    const build = head.shader === "ribbon" ? this.ribbon() : head.shader === "form" ? this.forms() : this.particles();
    for (const pass of passes) {
      build(pass).forEach((made, slab) => {
        made.frustumCulled = false;
        made.renderOrder =
          pass === SOLID ? 0 : pass === LIGHT ? AFTER_SOLID + 100_000 + rank : AFTER_SOLID + slab * 1000 + rank;
        this.object.add(made);
      });
    }
  }

  /** Whether something of it has to be drawn far to near. */
  get seeThrough(): boolean {
    return this.slabs.length > 0;
  }

  /** Bring uniforms to a view; `shift` is seconds from the frame's own time. */
  look(view: View, shift = 0): void {
    for (const { uniforms } of this.materials) {
      uniforms.scale!.value = view.scale;
      uniforms.density!.value = view.density;
      uniforms.shift!.value = shift;
      (uniforms.viewport!.value as Vector2).set(view.width, view.height);
    }
  }

  /** Draw only one of so many, where that can be told; all of them with 1. */
  thin(every: number): void {
    this.points.forEach((points) => points.thin(every));
  }

  depths(ahead: Direction): Float32Array {
    return this.data.head.shader === "ribbon"
      ? depthsOf(this.data.extra.points as Float32Array, ahead, 4, 7)
      : depthsOf(this.data.position, ahead);
  }

  /** Put what is see-through in order along a direction, parted at depths that fall. */
  order(ahead: Direction, cuts: number[], depth: Float32Array): void {
    if (this.data.head.shader === "ribbon") {
      this.slabMaterials.forEach((material, slab) => {
        const { uniforms } = material;
        material.visible = slab <= cuts.length;
        (uniforms.slab!.value as Vector2).set(cuts[slab - 1] ?? Infinity, cuts[slab] ?? -Infinity);
        (uniforms.ahead!.value as Vector3).set(...ahead);
      });
      return;
    }
    const rows = farToNear(depth);
    for (const { values, from, width } of this.columns) taken(from, rows, width, values);
    const starts = [0];
    for (const cut of cuts) {
      let at = starts.at(-1)!;
      while (at < rows.length && depth[rows[at]!]! >= cut) at++;
      starts.push(at);
    }
    this.ordered?.reorder(starts);
  }

  dispose(): void {
    this.materials.forEach((material) => this.options.materials.giveBack(material));
    this.copies.forEach((copies) => copies.release());
    this.geometries.forEach((geometry) => geometry.dispose());
  }

  private material(
    vertexShader: string,
    fragmentShader: string,
    pass: number,
    defines: Record<string, number | string>,
    extra: Record<string, { value: unknown }> = {},
  ): ShaderMaterial {
    const { head } = this.data;
    const { marked, dim } = this.options;
    const uniforms = {
      scale: { value: 1 },
      density: { value: 1 },
      viewport: { value: new Vector2(1, 1) },
      shift: { value: 0 },
      pass_: { value: pass },
      tiny: { value: head.tiny === false ? 0 : 1 },
      dim: { value: dim && marked ? 0.42 : 1 },
      ring: { value: RING },
      ratio: { value: head.ratio ?? 1 },
      softness: { value: head.softness ?? 0 },
      ...extra,
    };
    const make = () =>
      new ShaderMaterial({
        vertexShader,
        fragmentShader,
        defines,
        uniforms,
        transparent: pass !== SOLID,
        depthWrite: pass === SOLID,
        depthTest: true,
        blending: pass === LIGHT ? AdditiveBlending : pass === SOLID ? NoBlending : NormalBlending,
      });
    const key = `${vertexShader.length} ${fragmentShader.length} ${pass} ${JSON.stringify(defines)}`;
    const made = this.options.materials.take(key, uniforms, make);
    this.materials.push(made);
    return made;
  }

  private dotted(points: PointCopies): PointCopies {
    this.points.push(points);
    return points;
  }

  private held(copies: Copies): Copies {
    this.copies.push(copies);
    return copies;
  }

  /** Keeps a geometry to be freed. It is never culled as a whole: computing bounds of moving points each frame would
   * cost more than it saves. */
  private kept<T extends BufferGeometry>(made: T): T {
    made.boundingSphere = new Sphere(new Vector3(), 1e9);
    this.geometries.push(made);
    return made;
  }

  private marks(): Uint8Array {
    const marks = new Uint8Array(this.data.head.count);
    const { marked } = this.options;
    if (marked) for (let row = 0; row < marks.length; row++) marks[row] = marked.has(this.data.id[row]!) ? 1 : 0;
    return marks;
  }

  private particles(): (pass: number) => Object3D[] {
    const { data, options } = this;
    const { head, extra } = data;
    const shape = head.shader === "picture" && head.facing === "own" ? 5 : (SHAPES[head.shader] ?? 0);
    const columns: Column[] = [];
    const put = (name: string, values: Typed, width: number, normalized = false) =>
      columns.push({ name, values, width, normalized });
    put(options.quads ? "place" : "position", data.position, 3);
    put("radius", data.radius, 1);
    put("tint", data.color, 4, true);
    put("mark", this.marks(), 1);
    if (extra.orientation) put("turn", extra.orientation, 4);
    if (shape >= 4) put("cell", Float32Array.from(extra.cell!), 1);
    if (extra.roll) put("roll", extra.roll, 1);
    if (extra.velocity) put("velocity", extra.velocity, 3);
    const over = (given: Column[], runs: number) =>
      options.quads
        ? this.held(new Copies(SQUARE, given, head.count, options.merged, options.sources.tiles, runs))
        : this.dotted(new PointCopies(given, head.count, runs));
    const defines: Record<string, number | string> = { SHAPE: shape };
    if (options.quads) defines.QUADS = "";
    if (extra.velocity) defines.MOVING = "";
    const drawn = (with_: BufferGeometry, material: ShaderMaterial): Object3D =>
      options.quads ? new Mesh(with_, material) : new Points(with_, material);
    return (pass) => {
      const sheet: { value: Texture | null } = { value: null };
      if (shape >= 4) sheet.value = options.sources.sheetOf(head.picture!, options.onReady);
      const material = this.material(PARTICLE_VERTEX, PARTICLE_FRAGMENT, pass, defines, {
        sheet,
        cells: { value: new Vector2(head.columns ?? 1, head.rows ?? 1) },
      });
      if (pass !== SEE_THROUGH)
        return over(columns, 1).geometries.map((geometry) => drawn(this.kept(geometry), material));
      // Ordered copies are made only where there is something to put in order.
      this.columns = columns.map((column) => ({ ...column, from: column.values, values: column.values.slice() }));
      this.ordered = over(this.columns, SLABS);
      this.slabs = this.ordered.geometries.map((geometry) => this.kept(geometry));
      return this.slabs.map((slab) => drawn(slab, material));
    };
  }

  private ribbon(): (pass: number) => Object3D[] {
    const geometry = this.kept(this.strips());
    return (pass) => {
      if (pass !== SEE_THROUGH) return [new Mesh(geometry, this.material(RIBBON_VERTEX, RIBBON_FRAGMENT, pass, {}))];
      this.slabs = [geometry];
      this.slabMaterials = Array.from({ length: SLABS }, () =>
        this.material(
          RIBBON_VERTEX,
          RIBBON_FRAGMENT,
          pass,
          { SLABS: "" },
          { slab: { value: new Vector2(Infinity, -Infinity) }, ahead: { value: new Vector3() } },
        ),
      );
      return this.slabMaterials.map((material) => new Mesh(geometry, material));
    };
  }

  /** Every piece of a ribbon reads four points in a row: the one before, its ends, and the one after. */
  private strips(): BufferGeometry {
    const { data, options } = this;
    const points = data.extra.points as Float32Array;
    const color = options.marked && options.dim ? linesMarked(data, options.marked) : data.color;
    const pieces = Math.max(0, points.length / 4 - 3);
    const names = ["before", "start", "end", "after"];
    if (options.merged) {
      // Pieces between lines have no width; they are left out.
      const wide: number[] = [];
      for (let piece = 0; piece < pieces; piece++)
        if (points[piece * 4 + 7]! + points[piece * 4 + 11]! > 0) wide.push(piece);
      const columns: Column[] = names.map((name, at) => ({
        name,
        values: taken(points.subarray(at * 4), wide, 4),
        width: 4,
        normalized: false,
      }));
      ["startTint", "endTint"].forEach((name, at) =>
        columns.push({ name, values: taken(color.subarray(4 + at * 4), wide, 4), width: 4, normalized: true }),
      );
      return this.held(new Copies(STRIP, columns, wide.length, true, options.sources.tiles)).geometries[0]!;
    }
    // On a card all four read one buffer, a point further on each.
    const made = new InstancedBufferGeometry();
    const shared = new InstancedInterleavedBuffer(points, 4);
    const tints = new InstancedInterleavedBuffer(color, 4);
    made.setAttribute("position", new BufferAttribute(STRIP.position, 3));
    made.setIndex(Array.from(STRIP.index));
    names.forEach((name, at) => made.setAttribute(name, new InterleavedBufferAttribute(shared, 4, 4 * at)));
    made.setAttribute("startTint", new InterleavedBufferAttribute(tints, 4, 4, true));
    made.setAttribute("endTint", new InterleavedBufferAttribute(tints, 4, 8, true));
    made.instanceCount = pieces;
    return made;
  }

  private forms(): (pass: number) => Object3D[] {
    const { data, options } = this;
    const { head, extra } = data;
    const marks = this.marks();
    const starts = head.starts ?? [0, head.count];
    const parts = options.sources.formsOf(options.trial, head.look, options.onReady).map((base, number) => {
      const [from, to] = [starts[number] ?? 0, starts[number + 1] ?? 0];
      const columns: Column[] = [];
      const put = (name: string, values: Typed, width: number, normalized = false) =>
        columns.push({ name, values: values.subarray(from * width, to * width), width, normalized });
      put("place", data.position, 3);
      put("radius", data.radius, 1);
      put("tint", data.color, 4, true);
      put("turn", extra.orientation!, 4);
      put("mark", marks, 1);
      if (extra.velocity) put("velocity", extra.velocity, 3);
      return this.kept(
        this.held(new Copies(base, columns, to - from, options.merged, options.sources.tiles)).geometries[0]!,
      );
    });
    const defines: Record<string, number | string> = extra.velocity ? { MOVING: "" } : {};
    return (pass) =>
      parts.map((geometry) => new Mesh(geometry, this.material(FORM_VERTEX, FORM_FRAGMENT, pass, defines)));
  }
}

/** The order of drawing of all see-through layers for a camera; done again when it has turned noticeably, or layers have changed. */
export class Ordering {
  private direction: Direction | null = null;
  private layers: DrawnLayer[] | null = null;

  update(layers: DrawnLayer[], camera: Camera): void {
    const e = camera.matrixWorld.elements;
    const ahead: Direction = [-e[8], -e[9], -e[10]];
    const known = this.direction;
    if (this.layers === layers && known && known[0] * ahead[0] + known[1] * ahead[1] + known[2] * ahead[2] > 0.9998)
      return;
    this.direction = ahead;
    this.layers = layers;
    const sorted = layers.filter((layer) => layer.seeThrough);
    const depths = sorted.map((layer) => layer.depths(ahead));
    // A single look needs no slabs: it is in order within itself.
    const cuts = sorted.length > 1 ? cutsOf(depths, SLABS) : [];
    sorted.forEach((layer, index) => layer.order(ahead, cuts, depths[index]!));
  }
}
