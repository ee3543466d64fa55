/** How much room the window has. */

import { useSyncExternalStore } from "react";

/** Below this width the score is a drawer over the stage (pixels). */
export const NARROW = 1180;

function subscribe(changed: () => void): () => void {
  window.addEventListener("resize", changed);
  return () => window.removeEventListener("resize", changed);
}

export const useWindowWidth = (): number => useSyncExternalStore(subscribe, () => window.innerWidth);

export const useNarrow = (): boolean => useWindowWidth() < NARROW;
