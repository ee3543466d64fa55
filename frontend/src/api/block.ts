/** Reading binary blocks: a JSON head and aligned typed arrays (see hailridge.formats.blocks). Views share the response's memory. */

export type Typed = Float32Array | Uint8Array | Int32Array | Int16Array;

export interface Block<Head> {
  head: Head;
  arrays: Record<string, Typed>;
}

type Entry = [dtype: string, shape: number[], offset: number];

const VIEWS: Record<string, new (buffer: ArrayBuffer, offset: number, length: number) => Typed> = {
  f4: Float32Array,
  u1: Uint8Array,
  i4: Int32Array,
  i2: Int16Array,
};

export function readBlock<Head>(buffer: ArrayBuffer): Block<Head> {
  const length = new DataView(buffer).getUint32(0, true);
  const text = new TextDecoder().decode(new Uint8Array(buffer, 4, length));
  const { arrays: table, ...head } = JSON.parse(text) as { arrays: Record<string, Entry> };
  const arrays: Record<string, Typed> = {};
  for (const [name, [dtype, shape, offset]] of Object.entries(table)) {
    const View = VIEWS[dtype];
    if (!View) throw new Error(`a block holds an array of the unknown type ${dtype}`);
    arrays[name] = new View(
      buffer,
      4 + length + offset,
      shape.reduce((product, size) => product * size, 1),
    );
  }
  return { head: head as Head, arrays };
}

/** An array of a block that holds floats, by its name; an empty one where there is none of that name. */
export function asFloats(block: Block<unknown>, name: string): Float32Array {
  const found = block.arrays[name];
  return found instanceof Float32Array ? found : new Float32Array();
}

/** An array of a block that holds whole numbers, by its name; an empty one where there is none of that name. */
export function asWhole(block: Block<unknown>, name: string): Int32Array {
  const found = block.arrays[name];
  return found instanceof Int32Array ? found : new Int32Array();
}

/** An array of a block that holds bytes, by its name; an empty one where there is none of that name. */
export function asBytes(block: Block<unknown>, name: string): Uint8Array {
  const found = block.arrays[name];
  return found instanceof Uint8Array ? found : new Uint8Array();
}
