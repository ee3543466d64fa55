/** Escape in a box takes back what was done to its value since the box opened, and closes it. */

import { useRef } from "react";
import { at, same, type Json, type Path } from "@/state/document";
import { keysOf } from "@/state/keys";
import { useSession } from "@/state/use";

/** Whether a value is a number, a direction or a colour as it is, perhaps with a spread: what is built with care over many steps,
 * such as a curve, is not thrown away by a key that also closes boxes. */
function single(value: Json | undefined): boolean {
  if (typeof value !== "object" || value === null) return true;
  if (Array.isArray(value)) return value.every((entry) => typeof entry === "number");
  if (value.kind !== "fixed" && value.kind !== "spread") return false;
  return [value.value, value.spread].every((entry) => keysOf(entry) === null);
}

export function useTakingBack(path: Path) {
  const session = useSession();
  const before = useRef<Json | undefined>(undefined);
  const now = () => at(session.state.document, path) as Json | undefined;
  return {
    onOpenChange: (open: boolean) => {
      if (open) before.current = now();
    },
    onEscape: () => {
      const value = now();
      if (before.current !== undefined && single(before.current) && single(value) && !same(value, before.current))
        session.edit(path, before.current);
    },
  };
}
