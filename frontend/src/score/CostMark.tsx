/** What an item takes of the time of a step, beside it. */

import { useShare } from "@/state/costs";
import { useSession } from "@/state/use";
import { Hint } from "@/ui/controls";

export const percent = (share: number): string => (share < 0.01 ? "< 1 %" : `${Math.round(share * 100)} %`);

export function CostMark({ address, name }: { address: string; name: string }) {
  const session = useSession();
  const share = useShare(address);
  if (share === null) return null;
  return (
    <Hint text={`${percent(share)} of the time of a step. Click to see where all of it goes.`}>
      <button
        type="button"
        aria-label={`${name} takes ${percent(share)} of the time of a step`}
        data-cost={share}
        className="tabular flex h-6 shrink-0 items-center rounded px-1 text-xs text-brass hover:bg-raised"
        onClick={(event) => {
          event.stopPropagation();
          session.set({ lens: "charts", lensOpen: true, chartPage: "time" });
        }}
      >
        {percent(share)}
      </button>
    </Hint>
  );
}
