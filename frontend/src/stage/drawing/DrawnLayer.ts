/** One look on the graphics card. Made anew for each frame's data; the stage and finished pictures draw the same objects. */

import {
  AdditiveBlending, BufferAttribute, BufferGeometry, Group, InstancedBufferAttribute, InstancedBufferGeometry, InstancedInterleavedBuffer, InterleavedBuffer, InterleavedBufferAttribute, Mesh,
  NoBlending, NormalBlending, Points, ShaderMaterial, Sphere, Vector2, Vector3, type Camera, type Object3D, type Texture,
} from "three"; // prettier-ignore
import type { Typed } from "@/api/block";
import { linesMarked, taken, type LayerData } from "./data";
import { formsOf } from "./forms";
import { cutsOf, depthsOf, farToNear, type Direction } from "./order";
import { FORM_FRAGMENT, FORM_VERTEX, PARTICLE_FRAGMENT, PARTICLE_VERTEX, RIBBON_FRAGMENT, RIBBON_VERTEX } from "./shaders";
import { sheetOf } from "./textures";

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
  /** Told when a picture has been fetched, to draw again. */
  onReady: () => void;
}

const SHAPES: Record<string, number> = { dot: 0, disc: 1, ball: 2, sheet: 3, picture: 4 };
const SOLID = 0;
const SEE_THROUGH = 1;
const LIGHT = 2;
const RING = new Vector3(0.66, 0.83, 0.86);
const CORNERS = new Float32Array([-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0]);

/** Where see-through looks begin in the order of drawing; shapes and lines of the stage come before. */
const AFTER_SOLID = 10;

/** Slabs of depth in which several see-through looks are drawn one after another, so that the nearer covers the further whichever look it is of. */
const SLABS = 8;

interface Column {
  name: string;
  values: Typed;
  from: Typed;
  width: number;
  normalized: boolean;
}

export class DrawnLayer {
  readonly object = new Group();
  private readonly materials: ShaderMaterial[] = [];
  private readonly geometries: BufferGeometry[] = [];
  private columns: Column[] = [];
  /** One geometry for each slab, over the same values in order. */
  private slabs: BufferGeometry[] = [];
  private slabMaterials: ShaderMaterial[] = [];
  private buffers: InterleavedBuffer[] | null = null;

  constructor(
    readonly data: LayerData,
    private readonly options: Options,
    rank = 0,
  ) {
    const { head } = data;
    const soft = head.shader === "picture" || (head.shader === "disc" && (head.softness ?? 0) > 0) || head.shader === "ribbon";
    const passes: number[] = [];
    if (head.mixing === "light") passes.push(LIGHT);
    else {
      if (head.solid) passes.push(SOLID);
      if (head.seeThrough || soft || (options.dim && options.marked !== null)) passes.push(SEE_THROUGH);
    }
    // Rings are drawn solid, whatever is within them.
    if (options.marked && !passes.includes(SOLID)) passes.push(SOLID);
    if (head.count === 0) return;
    const build = head.shader === "ribbon" ? this.ribbon() : head.shader === "form" ? this.forms() : this.particles(passes.includes(SEE_THROUGH));
    for (const pass of passes) {
      build(pass).forEach((made, slab) => {
        made.frustumCulled = false;
        made.renderOrder = pass === SOLID ? 0 : pass === LIGHT ? AFTER_SOLID + 100_000 + rank : AFTER_SOLID + slab * 1000 + rank;
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

  depths(ahead: Direction): Float32Array {
    return this.data.head.shader === "ribbon" ? depthsOf(this.data.extra.points as Float32Array, ahead, 4, 7) : depthsOf(this.data.position, ahead);
  }

  /** Put what is see-through in order along a direction, parted at depths that fall. */
  order(ahead: Direction, cuts: number[], depth: Float32Array): void {
    if (this.data.head.shader === "ribbon") {
      this.slabs.forEach((geometry, slab) => {
        const there = slab <= cuts.length;
        (geometry as InstancedBufferGeometry).instanceCount = there ? this.pieces : 0;
        const { uniforms } = this.slabMaterials[slab]!;
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
    starts.push(rows.length);
    const buffers = (this.buffers ??= this.columns.map(({ values, width }) => (this.options.quads ? new InstancedInterleavedBuffer(values, width) : new InterleavedBuffer(values, width))));
    for (const buffer of buffers) buffer.needsUpdate = true;
    this.slabs.forEach((geometry, slab) => {
      const [from, to] = [starts[slab] ?? rows.length, starts[slab + 1] ?? rows.length];
      this.columns.forEach(({ name, width, normalized }, column) => {
        // All slabs read the same buffer, each from where it begins.
        geometry.setAttribute(name, new InterleavedBufferAttribute(buffers[column]!, width, this.options.quads ? from * width : 0, normalized));
      });
      if (this.options.quads) (geometry as InstancedBufferGeometry).instanceCount = to - from;
      else geometry.setDrawRange(from, to - from);
    });
  }

  dispose(): void {
    this.materials.forEach((material) => material.dispose());
    this.geometries.forEach((geometry) => geometry.dispose());
  }

  private material(vertexShader: string, fragmentShader: string, pass: number, defines: Record<string, number | string>, extra: Record<string, { value: unknown }> = {}): ShaderMaterial {
    const { head } = this.data;
    const { marked, dim } = this.options;
    const made = new ShaderMaterial({
      vertexShader, fragmentShader, defines,
      uniforms: {
        scale: { value: 1 }, density: { value: 1 }, viewport: { value: new Vector2(1, 1) }, shift: { value: 0 }, pass_: { value: pass }, tiny: { value: head.tiny === false ? 0 : 1 },
        dim: { value: dim && marked ? 0.42 : 1 }, ring: { value: RING }, ratio: { value: head.ratio ?? 1 }, softness: { value: head.softness ?? 0 }, ...extra,
      },
      transparent: pass !== SOLID, depthWrite: pass === SOLID, depthTest: true, blending: pass === LIGHT ? AdditiveBlending : pass === SOLID ? NoBlending : NormalBlending,
    }); // prettier-ignore
    this.materials.push(made);
    return made;
  }

  private geometry<T extends BufferGeometry>(made: T): T {
    // Never culled as a whole; computing bounds of moving points each frame would cost more than it saves.
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

  private particles(sorts: boolean): (pass: number) => Object3D[] {
    const { data, options } = this;
    const { head, extra } = data;
    const shape = head.shader === "picture" && head.facing === "own" ? 5 : (SHAPES[head.shader] ?? 0);
    const blank = (): BufferGeometry => {
      const made = this.geometry(options.quads ? new InstancedBufferGeometry() : new BufferGeometry());
      if (options.quads) {
        made.setAttribute("position", new BufferAttribute(CORNERS, 3));
        made.setIndex([0, 1, 2, 0, 2, 3]);
      }
      return made;
    };
    const geometry = blank();
    const put = (name: string, from: Typed, width: number, normalized = false) => {
      geometry.setAttribute(name, options.quads ? new InstancedBufferAttribute(from, width, normalized) : new BufferAttribute(from, width, normalized));
      // Ordered copies are made only where there is something to put in order.
      if (sorts) this.columns.push({ name, values: from.slice(), from, width, normalized });
    };
    put(options.quads ? "place" : "position", data.position, 3);
    put("radius", data.radius, 1);
    put("tint", data.color, 4, true);
    put("mark", this.marks(), 1);
    if (extra.orientation) put("turn", extra.orientation, 4);
    if (shape >= 4) put("cell", Float32Array.from(extra.cell!), 1);
    if (extra.roll) put("roll", extra.roll, 1);
    if (extra.velocity) put("velocity", extra.velocity, 3);
    if (options.quads) (geometry as InstancedBufferGeometry).instanceCount = head.count;
    const defines: Record<string, number | string> = { SHAPE: shape };
    if (options.quads) defines.QUADS = "";
    if (extra.velocity) defines.MOVING = "";
    const drawn = (with_: BufferGeometry, material: ShaderMaterial): Object3D => (options.quads ? new Mesh(with_, material) : new Points(with_, material));
    return (pass) => {
      const sheet: { value: Texture | null } = { value: null };
      if (shape >= 4) sheet.value = sheetOf(head.picture!, options.onReady);
      const material = this.material(PARTICLE_VERTEX, PARTICLE_FRAGMENT, pass, defines, { sheet, cells: { value: new Vector2(head.columns ?? 1, head.rows ?? 1) } });
      if (pass !== SEE_THROUGH) return [drawn(geometry, material)];
      this.slabs = Array.from({ length: SLABS }, blank);
      return this.slabs.map((slab) => drawn(slab, material));
    };
  }

  private get pieces(): number {
    return Math.max(0, (this.data.extra.points as Float32Array).length / 4 - 3);
  }

  private ribbon(): (pass: number) => Object3D[] {
    const { data, options } = this;
    // Every piece reads four points in a row from one buffer: the one before, its ends, and the one after.
    const points = new InstancedInterleavedBuffer(data.extra.points as Float32Array, 4);
    const tints = new InstancedInterleavedBuffer(options.marked && options.dim ? linesMarked(data, options.marked) : data.color, 4);
    const corners = new BufferAttribute(new Float32Array([0, -1, 0, 1, -1, 0, 1, 1, 0, 0, 1, 0]), 3);
    const strip = () => {
      const made = this.geometry(new InstancedBufferGeometry());
      made.setAttribute("position", corners);
      made.setIndex([0, 1, 2, 0, 2, 3]);
      ["before", "start", "end", "after"].forEach((name, at) => made.setAttribute(name, new InterleavedBufferAttribute(points, 4, 4 * at)));
      made.setAttribute("startTint", new InterleavedBufferAttribute(tints, 4, 4, true));
      made.setAttribute("endTint", new InterleavedBufferAttribute(tints, 4, 8, true));
      made.instanceCount = this.pieces;
      return made;
    };
    return (pass) => {
      if (pass !== SEE_THROUGH) return [new Mesh(strip(), this.material(RIBBON_VERTEX, RIBBON_FRAGMENT, pass, {}))];
      this.slabs = Array.from({ length: SLABS }, strip);
      this.slabMaterials = this.slabs.map(() => this.material(RIBBON_VERTEX, RIBBON_FRAGMENT, pass, { SLABS: "" }, { slab: { value: new Vector2(Infinity, -Infinity) }, ahead: { value: new Vector3() } }));
      return this.slabs.map((slab, at) => new Mesh(slab, this.slabMaterials[at]));
    };
  }

  private forms(): (pass: number) => Object3D[] {
    const { data, options } = this;
    const { head, extra } = data;
    const shapes = formsOf(options.trial, head.look, options.onReady);
    const marks = this.marks();
    const starts = head.starts ?? [0, head.count];
    const parts = shapes.map((shape, number) => {
      const [from, to] = [starts[number] ?? 0, starts[number + 1] ?? 0];
      const geometry = this.geometry(new InstancedBufferGeometry());
      geometry.setAttribute("position", shape.getAttribute("position"));
      geometry.setAttribute("normal", shape.getAttribute("normal"));
      const put = (name: string, values: Typed, width: number, normalized = false) => geometry.setAttribute(name, new InstancedBufferAttribute(values.subarray(from * width, to * width), width, normalized));
      put("place", data.position, 3);
      put("radius", data.radius, 1);
      put("tint", data.color, 4, true);
      put("turn", extra.orientation!, 4);
      put("mark", marks, 1);
      if (extra.velocity) put("velocity", extra.velocity, 3);
      geometry.instanceCount = to - from;
      return geometry;
    });
    const defines: Record<string, number | string> = extra.velocity ? { MOVING: "" } : {};
    return (pass) => parts.map((geometry) => new Mesh(geometry, this.material(FORM_VERTEX, FORM_FRAGMENT, pass, defines)));
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
    if (this.layers === layers && known && known[0] * ahead[0] + known[1] * ahead[1] + known[2] * ahead[2] > 0.9998) return;
    this.direction = ahead;
    this.layers = layers;
    const sorted = layers.filter((layer) => layer.seeThrough);
    const depths = sorted.map((layer) => layer.depths(ahead));
    // A single look needs no slabs: it is in order within itself.
    const cuts = sorted.length > 1 ? cutsOf(depths, SLABS) : [];
    sorted.forEach((layer, index) => layer.order(ahead, cuts, depths[index]!));
  }
}
