/** What an item takes of the time of a step, beside it: as a number where that was asked for, else, where it is much, as a bar at the
 * edge of its card, which takes no room from its sentence. */

import { useShare } from "@/state/costs";
import { useSession, useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";

export const percent = (share: number): string => (share < 0.01 ? "< 1 %" : `${Math.round(share * 100)} %`);

export function CostMark({ address, name }: { address: string; name: string }) {
  const session = useSession();
  const share = useShare(address);
  const asked = useStudio((state) => state.costs);
  if (share === null) return null;
  return (
    <Hint text={`${percent(share)} of the time of a step. Click to see where all of it goes.`}>
      <button
        type="button"
        aria-label={`${name} takes ${percent(share)} of the time of a step`}
        data-cost={share}
        className={
          asked
            ? "tabular flex h-6 w-11 shrink-0 items-center justify-end rounded px-1 text-xs text-brass hover:bg-raised"
            : "absolute inset-y-1 left-0 w-1 rounded-r bg-brass/80 hover:w-1.5"
        }
        onClick={(event) => {
          event.stopPropagation();
          session.set({ lens: "charts", lensOpen: true, chartPage: "time" });
        }}
      >
        {asked && percent(share)}
      </button>
    </Hint>
  );
}
