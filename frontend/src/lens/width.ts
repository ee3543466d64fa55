/** How wide the lens is where it is open. */

import { usePreferences } from "@/state/use";
import { useWindowWidth } from "@/ui/room";

export const LEAST = 260;
const SHARE = 0.42;

export function useLensWidth(): { width: number; most: number } {
  const wanted = usePreferences((state) => state.lensWidth);
  const most = Math.max(LEAST, useWindowWidth() * SHARE);
  return { width: Math.min(wanted, most), most };
}
