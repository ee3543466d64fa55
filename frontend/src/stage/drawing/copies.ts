/** One small mesh drawn once for each of many items. A graphics card does that by itself; without one, a copy of the
 * mesh for each item is many times as fast. */

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

interface Tiled {
  capacity: number;
  position: BufferAttribute;
  normal: BufferAttribute | null;
  index: BufferAttribute;
}

/** Meshes copied many times over, kept from frame to frame: only what differs from item to item is made anew. */
export class Tiles {
  private readonly kept = new WeakMap<Base, Tiled>();

  /** At least so many copies of a mesh. */
  of(base: Base, count: number): Tiled {
    const known = this.kept.get(base);
    if (known && known.capacity >= count) return known;
    const capacity = Math.ceil(count * 1.3);
    const vertices = base.position.length / 3;
    const index = new Uint32Array(base.index.length * capacity);
    for (let item = 0, at = 0; item < capacity; item++) {
      for (let k = 0; k < base.index.length; k++) index[at++] = base.index[k]! + item * vertices;
    }
    const made = {
      capacity,
      position: new BufferAttribute(tiled(base.position, capacity), 3),
      normal: base.normal ? new BufferAttribute(tiled(base.normal, capacity), 3) : null,
      index: new BufferAttribute(index, 1),
    };
    this.kept.set(base, made);
    return made;
  }
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
    tiles: Tiles,
    runs = 1,
  ) {
    this.geometries = Array.from({ length: runs }, () =>
      merged ? new BufferGeometry() : new InstancedBufferGeometry(),
    );
    const vertices = base.position.length / 3;
    if (merged) {
      const { position, normal, index } = tiles.of(base, count);
      this.shared = columns.map(
        ({ values, width, normalized }) =>
          new BufferAttribute(repeated(values, width, count, vertices), width, normalized),
      );
      for (const geometry of this.geometries) {
        geometry.setAttribute("position", position);
        if (normal) geometry.setAttribute("normal", normal);
        geometry.setIndex(index);
        geometry.setDrawRange(0, count * base.index.length);
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

  /** Let go of what is shared with later frames, so that it stays on the card when these geometries are freed. */
  release(): void {
    if (!this.merged) return;
    for (const geometry of this.geometries) {
      geometry.deleteAttribute("position");
      geometry.deleteAttribute("normal");
      geometry.setIndex(null);
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
  private starts: number[];
  private some: BufferAttribute | null = null;

  constructor(
    columns: Column[],
    private readonly count: number,
    runs = 1,
  ) {
    this.attributes = columns.map(({ values, width, normalized }) => new BufferAttribute(values, width, normalized));
    this.geometries = Array.from({ length: runs }, () => new BufferGeometry());
    for (const geometry of this.geometries)
      columns.forEach(({ name }, column) => geometry.setAttribute(name, this.attributes[column]!));
    this.starts = [0, ...Array.from({ length: runs - 1 }, () => count)];
  }

  reorder(starts: number[]): void {
    for (const attribute of this.attributes) attribute.needsUpdate = true;
    this.starts = this.geometries.map((_, run) => starts[run] ?? this.count);
    this.range(1);
  }

  /** Draw only one of so many, or all. */
  thin(every: number): void {
    if (every > 1 && !this.some) {
      const rows = Uint32Array.from({ length: Math.ceil(this.count / every) }, (_, row) => row * every);
      this.some = new BufferAttribute(rows, 1);
    }
    this.geometries.forEach((geometry) => geometry.setIndex(every > 1 ? this.some : null));
    this.range(every);
  }

  private range(every: number): void {
    this.geometries.forEach((geometry, run) => {
      const [from, to] = [this.starts[run] ?? this.count, this.starts[run + 1] ?? this.count];
      const first = Math.ceil(from / every);
      geometry.setDrawRange(first, Math.max(0, Math.ceil(to / every) - first));
    });
  }
}

function tiled(values: Float32Array, times: number): Float32Array {
  const made = new Float32Array(values.length * times);
  for (let copy = 0; copy < times; copy++) made.set(values, copy * values.length);
  return made;
}
