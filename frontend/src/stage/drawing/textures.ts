/** Picture sheets on the graphics card, fetched once. */

import {
  ClampToEdgeWrapping,
  DataTexture,
  LinearFilter,
  LinearMipmapLinearFilter,
  NoColorSpace,
  RGBAFormat,
  TextureLoader,
  type Texture,
} from "three";

const sheets = new Map<string, Texture>();
const waiting = new Map<string, Set<() => void>>();
const loader = new TextureLoader();

/** Nothing to be seen until the picture is there. */
const empty = new DataTexture(new Uint8Array([255, 255, 255, 0]), 1, 1, RGBAFormat);
empty.needsUpdate = true;

export const loadingSheets = (): number => waiting.size;

export function sheetOf(picture: string, onReady: () => void): Texture {
  const known = sheets.get(picture);
  if (known) return known;
  const listeners = waiting.get(picture);
  if (listeners) listeners.add(onReady);
  else {
    waiting.set(picture, new Set([onReady]));
    const told = () => {
      const those = waiting.get(picture);
      waiting.delete(picture);
      those?.forEach((listener) => listener());
    };
    loader.load(
      `/api/pictures/${picture}.png`,
      (texture) => {
        texture.flipY = false;
        texture.colorSpace = NoColorSpace;
        texture.premultiplyAlpha = true;
        texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
        texture.minFilter = LinearMipmapLinearFilter;
        texture.magFilter = LinearFilter;
        texture.anisotropy = 4;
        texture.needsUpdate = true;
        sheets.set(picture, texture);
        told();
      },
      undefined,
      () => {
        sheets.set(picture, empty);
        told();
      },
    );
  }
  return empty;
}
