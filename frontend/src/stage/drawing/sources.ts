/** What looks are drawn with and has to be fetched: sheets of pictures, and solid forms. Each renderer has its own, freed with it. */

import {
  BufferAttribute,
  BufferGeometry,
  ClampToEdgeWrapping,
  DataTexture,
  LinearFilter,
  LinearMipmapLinearFilter,
  NoColorSpace,
  RGBAFormat,
  TextureLoader,
  type Texture,
} from "three";
import { mergeVertices, toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { asFloats } from "@/api/block";
import { fetchBlock } from "@/api/client";
import { Tiles, type Base } from "./copies";

interface FormsHead {
  forms: Record<string, number>;
}

/** Trials whose forms are kept. */
const KEPT = 8;
/** Edges sharper than this stay sharp (radians). */
const CREASE = 0.7;

export class Sources {
  private readonly sheets = new Map<string, Texture>();
  private readonly forms = new Map<string, Map<string, Base[]>>();
  private readonly waiting = new Map<string, Set<() => void>>();
  readonly tiles = new Tiles();
  private readonly loader = new TextureLoader();
  /** Nothing to be seen until the picture is there. */
  private readonly empty = new DataTexture(new Uint8Array([255, 255, 255, 0]), 1, 1, RGBAFormat);

  constructor() {
    this.empty.needsUpdate = true;
  }

  /** Whether anything is still on its way. */
  get loading(): boolean {
    return this.waiting.size > 0;
  }

  /** A sheet of pictures; empty as long as it is on its way. */
  sheetOf(picture: string, onReady: () => void): Texture {
    const known = this.sheets.get(picture);
    if (known) return known;
    this.await(`sheet ${picture}`, onReady, () => this.fetchSheet(picture));
    return this.empty;
  }

  /** The forms of a look, or none as long as they are on their way. */
  formsOf(trial: string, look: string, onReady: () => void): Base[] {
    const there = this.forms.get(trial);
    if (there) return there.get(look) ?? [];
    this.await(`forms ${trial}`, onReady, () => this.fetchForms(trial));
    return [];
  }

  dispose(): void {
    this.sheets.forEach((sheet) => sheet.dispose());
    this.empty.dispose();
  }

  private await(what: string, onReady: () => void, fetching: () => Promise<void>): void {
    const listeners = this.waiting.get(what);
    if (listeners) return void listeners.add(onReady);
    this.waiting.set(what, new Set([onReady]));
    void fetching().finally(() => {
      const those = this.waiting.get(what);
      this.waiting.delete(what);
      those?.forEach((listener) => listener());
    });
  }

  private async fetchSheet(picture: string): Promise<void> {
    try {
      const texture = await this.loader.loadAsync(`/api/pictures/${picture}.png`);
      texture.flipY = false;
      texture.colorSpace = NoColorSpace;
      texture.premultiplyAlpha = true;
      texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
      texture.minFilter = LinearMipmapLinearFilter;
      texture.magFilter = LinearFilter;
      texture.anisotropy = 4;
      texture.needsUpdate = true;
      this.sheets.set(picture, texture);
    } catch {
      this.sheets.set(picture, this.empty);
    }
  }

  private async fetchForms(trial: string): Promise<void> {
    // Where it fails, the next frame asks again.
    const block = await fetchBlock<FormsHead>(`/api/trials/${trial}/forms`).catch(() => null);
    if (!block) return;
    const made = new Map<string, Base[]>();
    for (const [look, count] of Object.entries(block.head.forms)) {
      const bases = Array.from({ length: count }, (_, number) =>
        creased(asFloats(block, `${look}/${number}/vertices`), block.arrays[`${look}/${number}/faces`]!),
      );
      made.set(look, bases);
    }
    this.forms.set(trial, made);
    while (this.forms.size > KEPT) this.forms.delete(this.forms.keys().next().value!);
  }
}

function creased(vertices: Float32Array, faces: ArrayLike<number>): Base {
  const plain = new BufferGeometry();
  plain.setAttribute("position", new BufferAttribute(vertices, 3));
  plain.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
  const whole = mergeVertices(toCreasedNormals(plain, CREASE));
  return {
    position: new Float32Array(whole.getAttribute("position").array),
    normal: new Float32Array(whole.getAttribute("normal").array),
    index: whole.getIndex()!.array,
  };
}
