/** Where an editor puts its value: tried while it is dragged, committed when let go. */

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
    tryValue(path, value);
    settle();
  },
});
