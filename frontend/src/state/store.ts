/** Where an editor puts its value: tried while it is dragged, committed when let go. */

import type { Json, Path } from "./document";
import { refer } from "./exchanging";
import type { Session } from "./session";

export interface Store {
  try: (value: Json) => void;
  commit: (value: Json) => void;
  /** Puts a value at a time (seconds), where keyframes may stand. */
  commitAt?: (value: Json, time: number) => void;
}

export const storeAt = (session: Session, path: Path): Store => ({
  try: (value) => session.tryValue(path, value),
  commit: (value) => {
    // A dial stands in many places: whether its value fits in all of them the server says.
    if (path[0] === "dials") return void refer(session, path, value);
    session.tryValue(path, value);
    session.settle();
  },
});
