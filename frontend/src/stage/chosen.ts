/** The shape that is chosen, with where it is on the stage. */

import type { Shape } from "@/state/document";
import type { ShapeHead } from "@/state/frames";
import { useRun, useStudio } from "@/state/use";

export interface Chosen {
  shape: Shape;
  index: number;
  head: ShapeHead;
}

export function useChosen(): Chosen | null {
  const index = useStudio((state) => (state.selected?.[0] === "shapes" ? Number(state.selected[1]) : -1));
  const shape = useStudio((state) => state.document.shapes[index] ?? null);
  const moved = useRun((state) => state.shown?.frame.head.shapes.find((head) => head.id === shape?.id));
  const placed = useRun((state) => state.shapes?.head.shapes.find((head) => head.id === shape?.id));
  const head = moved ?? placed;
  return shape && head ? { shape, index, head } : null;
}
