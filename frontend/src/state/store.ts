/** Where an editor puts its value: tried while it is dragged, committed when let go. */

import { refer } from "@/score/exchanging";
import type { Json, Path } from "./document";
import { commit, tryValue, useStudio } from "./studio";

export interface Store {
  try: (value: Json) => void;
  commit: (value: Json) => void;
}

/** Commit what dragging has tried. */
export const settle = (): void => {
  const { document } = useStudio.getState();
  if (document) commit(document);
};

export const storeAt = (path: Path): Store => ({
  try: (value) => tryValue(path, value),
  commit: (value) => {
    // A dial stands in many places: whether its value fits in all of them the server says.
    if (path[0] === "dials") return void refer(path, value);
    tryValue(path, value);
    settle();
  },
});
