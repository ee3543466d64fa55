/** Solid forms that particles are drawn as, fetched once a trial. */

import { BufferAttribute, BufferGeometry } from "three";
import { mergeVertices, toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { fetchBlock } from "@/api/client";
import type { Base } from "./copies";

interface FormsHead {
  forms: Record<string, number>;
}

const KEPT = 8;
/** Edges sharper than this stay sharp (radians). */
const CREASE = 0.7;
const known = new Map<string, Map<string, Base[]>>();
const waiting = new Map<string, Set<() => void>>();

export const loadingForms = (): number => waiting.size;

/** The forms of a look, or none as long as they are on their way. */
export function formsOf(trial: string, look: string, onReady: () => void): Base[] {
  const there = known.get(trial);
  if (there) return there.get(look) ?? [];
  const listeners = waiting.get(trial);
  if (listeners) listeners.add(onReady);
  else {
    waiting.set(trial, new Set([onReady]));
    void fetchForms(trial);
  }
  return [];
}

async function fetchForms(trial: string): Promise<void> {
  const made = new Map<string, Base[]>();
  try {
    const block = await fetchBlock<FormsHead>(`/api/trials/${trial}/forms`);
    for (const [look, count] of Object.entries(block.head.forms)) {
      made.set(
        look,
        Array.from({ length: count }, (_, number) => {
          const plain = new BufferGeometry();
          plain.setAttribute(
            "position",
            new BufferAttribute(block.arrays[`${look}/${number}/vertices`] as Float32Array, 3),
          );
          plain.setIndex(new BufferAttribute(new Uint32Array(block.arrays[`${look}/${number}/faces`]!), 1));
          const creased = mergeVertices(toCreasedNormals(plain, CREASE));
          return {
            position: creased.getAttribute("position").array as Float32Array,
            normal: creased.getAttribute("normal").array as Float32Array,
            index: creased.getIndex()!.array,
          };
        }),
      );
    }
  } catch {
    // The next frame asks again.
    const those = waiting.get(trial);
    waiting.delete(trial);
    those?.forEach((listener) => listener());
    return;
  }
  known.set(trial, made);
  while (known.size > KEPT) {
    known.delete(known.keys().next().value!);
  }
  const those = waiting.get(trial);
  waiting.delete(trial);
  those?.forEach((listener) => listener());
}
