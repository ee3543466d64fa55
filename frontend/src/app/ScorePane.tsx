/** Where the score stands: beside the stage, or as a drawer over it where there is little room. */

import type { ReactNode } from "react";
import { useApp, usePreferences, useStudio } from "@/state/use";
import { Grip } from "@/ui/Grip";
import { useNarrow, useWindowWidth } from "@/ui/room";

const LEAST = 320;
/** The stage keeps the rest. */
const SHARE = 0.36;
/** Where nobody has dragged it: on wide windows sentences wrap less. */
const [USUAL, WIDE] = [440, 560];

/** How wide the score is, and how wide it may be. */
export function useScoreWidth() {
  const chosen = usePreferences((state) => state.scoreWidth);
  const narrow = useNarrow();
  const room = useWindowWidth();
  const most = Math.max(LEAST, room * SHARE);
  const wanted = chosen || Math.min(WIDE, Math.max(USUAL, Math.round(room * 0.3)));
  return { narrow, most, width: narrow ? Math.min(wanted, 440) : Math.min(wanted, most) };
}

export function ScorePane({ children }: { children: ReactNode }) {
  const app = useApp();
  const open = useStudio((state) => state.scoreOpen);
  const { narrow, width, most } = useScoreWidth();
  if (!open) return null;
  return (
    <main
      aria-label="Score"
      className={`shrink-0 bg-panel ${narrow ? "absolute inset-y-0 left-0 z-30 shadow-2xl" : "relative"}`}
      style={{ width }}
    >
      {children}
      <Grip
        label="Width of the score"
        side="right"
        width={width}
        least={LEAST}
        most={most}
        onWidth={(scoreWidth) => app.preferences.setState({ scoreWidth })}
      />
    </main>
  );
}
