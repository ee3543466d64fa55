/** One look on the graphics card. Made anew for each frame's data; the stage and finished pictures draw the same objects. */

import {
  AdditiveBlending, BufferAttribute, BufferGeometry, Group, InstancedBufferAttribute, InstancedBufferGeometry, InstancedInterleavedBuffer, InterleavedBufferAttribute, Mesh,
  NoBlending, NormalBlending, Points, ShaderMaterial, Sphere, Vector2, Vector3, type Camera, type Object3D, type Texture,
} from "three"; // prettier-ignore
import type { Typed } from "@/api/block";
import { linesMarked, taken, type LayerData } from "./data";
import { formsOf } from "./forms";
import { farToNear } from "./order";
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

interface Column {
  attribute: BufferAttribute;
  from: Typed;
  width: number;
}

export class DrawnLayer {
  readonly object = new Group();
  private readonly materials: ShaderMaterial[] = [];
  private readonly geometries: BufferGeometry[] = [];
  private columns: Column[] = [];
  private sorted: [number, number, number] | null = null;
  private readonly sorts: boolean;

  constructor(
    readonly data: LayerData,
    private readonly options: Options,
    rank = 0,
  ) {
    const { head } = data;
    const light = head.mixing === "light";
    const soft = head.shader === "picture" || (head.shader === "disc" && (head.softness ?? 0) > 0) || head.shader === "ribbon";
    const passes: number[] = [];
    if (light) passes.push(LIGHT);
    else {
      if (head.solid) passes.push(SOLID);
      if (head.seeThrough || soft || (options.dim && options.marked !== null)) passes.push(SEE_THROUGH);
    }
    // Rings are drawn solid, whatever is within them.
    if (options.marked && !passes.includes(SOLID)) passes.push(SOLID);
    this.sorts = passes.includes(SEE_THROUGH) && head.shader !== "ribbon";
    if (head.count === 0) return;
    const build = head.shader === "ribbon" ? this.ribbon() : head.shader === "form" ? this.forms() : this.particles();
    for (const pass of passes) {
      build(pass).forEach((made) => {
        made.frustumCulled = false;
        made.renderOrder = pass === SOLID ? 0 : AFTER_SOLID + rank + (pass === LIGHT ? 100 : 0);
        this.object.add(made);
      });
    }
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

  /** Put what is see-through in order, if the direction of view has changed noticeably since the last time. */
  order(camera: Camera): void {
    if (!this.sorts || this.columns.length === 0) return;
    const e = camera.matrixWorld.elements;
    const ahead: [number, number, number] = [-e[8], -e[9], -e[10]];
    const known = this.sorted;
    if (known && known[0] * ahead[0] + known[1] * ahead[1] + known[2] * ahead[2] > 0.9998) return;
    this.sorted = ahead;
    const rows = farToNear(this.data.position, ahead);
    for (const { attribute, from, width } of this.columns) {
      taken(from, rows, width, attribute.array as Typed);
      attribute.needsUpdate = true;
    }
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

  private particles(): (pass: number) => Object3D[] {
    const { data, options } = this;
    const { head, extra } = data;
    const shape = head.shader === "picture" && head.facing === "own" ? 5 : (SHAPES[head.shader] ?? 0);
    const geometry = this.geometry(options.quads ? new InstancedBufferGeometry() : new BufferGeometry());
    const put = (name: string, from: Typed, width: number, normalized = false) => {
      // Ordered copies are made only where there is something to put in order.
      const values = this.sorts ? from.slice() : from;
      const attribute = options.quads ? new InstancedBufferAttribute(values, width, normalized) : new BufferAttribute(values, width, normalized);
      geometry.setAttribute(name, attribute);
      if (this.sorts) this.columns.push({ attribute, from, width });
    };
    if (options.quads) {
      geometry.setAttribute("position", new BufferAttribute(CORNERS, 3));
      geometry.setIndex([0, 1, 2, 0, 2, 3]);
      (geometry as InstancedBufferGeometry).instanceCount = head.count;
    }
    put(options.quads ? "place" : "position", data.position, 3);
    put("radius", data.radius, 1);
    put("tint", data.color, 4, true);
    put("mark", this.marks(), 1);
    if (extra.orientation) put("turn", extra.orientation, 4);
    if (shape >= 4) put("cell", Float32Array.from(extra.cell!), 1);
    if (extra.roll) put("roll", extra.roll, 1);
    if (extra.velocity) put("velocity", extra.velocity, 3);
    const defines: Record<string, number | string> = { SHAPE: shape };
    if (options.quads) defines.QUADS = "";
    if (extra.velocity) defines.MOVING = "";
    return (pass) => {
      const sheet: { value: Texture | null } = { value: null };
      if (shape >= 4) sheet.value = sheetOf(head.picture!, options.onReady);
      const material = this.material(PARTICLE_VERTEX, PARTICLE_FRAGMENT, pass, defines, { sheet, cells: { value: new Vector2(head.columns ?? 1, head.rows ?? 1) } });
      return [options.quads ? new Mesh(geometry, material) : new Points(geometry, material)];
    };
  }

  private ribbon(): (pass: number) => Object3D[] {
    const { data, options } = this;
    const geometry = this.geometry(new InstancedBufferGeometry());
    geometry.setAttribute("position", new BufferAttribute(new Float32Array([0, -1, 0, 1, -1, 0, 1, 1, 0, 0, 1, 0]), 3));
    geometry.setIndex([0, 1, 2, 0, 2, 3]);
    // Every piece reads four points in a row from one buffer: the one before, its ends, and the one after.
    const points = new InstancedInterleavedBuffer(data.extra.points as Float32Array, 4);
    ["before", "start", "end", "after"].forEach((name, at) => geometry.setAttribute(name, new InterleavedBufferAttribute(points, 4, 4 * at)));
    const color = options.marked && options.dim ? linesMarked(data, options.marked) : data.color;
    const tints = new InstancedInterleavedBuffer(color, 4);
    geometry.setAttribute("startTint", new InterleavedBufferAttribute(tints, 4, 4, true));
    geometry.setAttribute("endTint", new InterleavedBufferAttribute(tints, 4, 8, true));
    geometry.instanceCount = Math.max(0, (data.extra.points as Float32Array).length / 4 - 3);
    return (pass) => [new Mesh(geometry, this.material(RIBBON_VERTEX, RIBBON_FRAGMENT, pass, {}))];
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
