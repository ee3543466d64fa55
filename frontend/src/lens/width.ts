/** How wide the lens is where it is open. */

import { usePreferences, useStudio } from "@/state/use";
import { useWindowWidth } from "@/ui/room";

export const LEAST = 260;
const SHARE = 0.42;

export function useLensWidth(): { width: number; most: number } {
  const wanted = usePreferences((state) => state.lensWidth);
  const most = Math.max(LEAST, useWindowWidth() * SHARE);
  return { width: Math.min(wanted, most), most };
}

/** How much of the stage's right lies below the lens: nothing where that is folded away, or the stage stands alone. */
export function useLensRoom(): number {
  const there = useStudio((state) => state.lensOpen && !state.stageOnly);
  const { width } = useLensWidth();
  return there ? width : 0;
}
