/** One small mesh drawn once for each of many items. A graphics card does that by itself; without one, a copy of the mesh for each item is many times as fast. */

import {
  BufferAttribute,
  BufferGeometry,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  InstancedInterleavedBuffer,
  InterleavedBufferAttribute,
} from "three";
import type { Typed } from "@/api/block";

export interface Column {
  name: string;
  /** One value for each item, `width` numbers each. */
  values: Typed;
  width: number;
  normalized: boolean;
}

export interface Base {
  position: Float32Array;
  normal?: Float32Array;
  index: ArrayLike<number>;
}

export const SQUARE: Base = {
  position: new Float32Array([-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0]),
  index: [0, 1, 2, 0, 2, 3],
};

/** Values repeated `times` over for each item. */
function repeated<T extends Typed>(values: T, width: number, count: number, times: number, into?: T): T {
  const made = into ?? new (values.constructor as new (length: number) => T)(count * width * times);
  let at = 0;
  for (let item = 0; item < count; item++) {
    for (let copy = 0; copy < times; copy++) for (let k = 0; k < width; k++) made[at++] = values[item * width + k]!;
  }
  return made;
}

/** Geometries over the same items, each for a run of them; all values are shared. */
export class Copies {
  readonly geometries: BufferGeometry[];
  private buffers: InstancedInterleavedBuffer[] = [];
  private shared: BufferAttribute[] = [];

  constructor(
    private readonly base: Base,
    private readonly columns: Column[],
    private readonly count: number,
    private readonly merged: boolean,
    runs = 1,
  ) {
    this.geometries = Array.from({ length: runs }, () =>
      merged ? new BufferGeometry() : new InstancedBufferGeometry(),
    );
    const vertices = base.position.length / 3;
    if (merged) {
      const whole = new BufferAttribute(tiled(base.position, count), 3);
      const normals = base.normal && new BufferAttribute(tiled(base.normal, count), 3);
      const index = new Uint32Array(base.index.length * count);
      for (let item = 0, at = 0; item < count; item++)
        for (let k = 0; k < base.index.length; k++) index[at++] = base.index[k]! + item * vertices;
      const indices = new BufferAttribute(index, 1);
      this.shared = columns.map(
        ({ values, width, normalized }) =>
          new BufferAttribute(repeated(values, width, count, vertices), width, normalized),
      );
      for (const geometry of this.geometries) {
        geometry.setAttribute("position", whole);
        if (normals) geometry.setAttribute("normal", normals);
        geometry.setIndex(indices);
        columns.forEach(({ name }, column) => geometry.setAttribute(name, this.shared[column]!));
      }
    } else {
      for (const geometry of this.geometries) {
        geometry.setAttribute("position", new BufferAttribute(base.position, 3));
        if (base.normal) geometry.setAttribute("normal", new BufferAttribute(base.normal, 3));
        geometry.setIndex(Array.from(base.index));
        for (const { name, values, width, normalized } of columns)
          geometry.setAttribute(name, new InstancedBufferAttribute(values, width, normalized));
        (geometry as InstancedBufferGeometry).instanceCount = count;
      }
    }
  }

  /** The columns' values have changed in place: bring them to the card, and give each geometry its run of items. */
  reorder(starts: number[]): void {
    if (this.merged) {
      const vertices = this.base.position.length / 3;
      this.columns.forEach(({ values, width }, column) => {
        const attribute = this.shared[column]!;
        repeated(values, width, this.count, vertices, attribute.array as Typed);
        attribute.needsUpdate = true;
      });
    } else if (this.buffers.length === 0) {
      this.buffers = this.columns.map(({ values, width }) => new InstancedInterleavedBuffer(values, width));
    } else for (const buffer of this.buffers) buffer.needsUpdate = true;
    this.geometries.forEach((geometry, run) => {
      const from = starts[run] ?? this.count;
      const to = starts[run + 1] ?? this.count;
      if (this.merged)
        return geometry.setDrawRange(from * this.base.index.length, (to - from) * this.base.index.length);
      this.columns.forEach(({ name, width, normalized }, column) => {
        // All runs read the same buffer, each from where it begins.
        geometry.setAttribute(
          name,
          new InterleavedBufferAttribute(this.buffers[column]!, width, from * width, normalized),
        );
      });
      (geometry as InstancedBufferGeometry).instanceCount = to - from;
    });
  }
}

/** Points (one vertex an item) in the same form. */
export class PointCopies {
  readonly geometries: BufferGeometry[];
  private readonly attributes: BufferAttribute[];

  constructor(
    columns: Column[],
    private readonly count: number,
    runs = 1,
  ) {
    this.attributes = columns.map(({ values, width, normalized }) => new BufferAttribute(values, width, normalized));
    this.geometries = Array.from({ length: runs }, () => new BufferGeometry());
    for (const geometry of this.geometries)
      columns.forEach(({ name }, column) => geometry.setAttribute(name, this.attributes[column]!));
  }

  reorder(starts: number[]): void {
    for (const attribute of this.attributes) attribute.needsUpdate = true;
    this.geometries.forEach((geometry, run) => {
      const from = starts[run] ?? this.count;
      geometry.setDrawRange(from, (starts[run + 1] ?? this.count) - from);
    });
  }
}

function tiled(values: Float32Array, times: number): Float32Array {
  const made = new Float32Array(values.length * times);
  for (let copy = 0; copy < times; copy++) made.set(values, copy * values.length);
  return made;
}
