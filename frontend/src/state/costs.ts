/** Where the time of the run that is shown goes, as it was measured in it. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { components } from "@/api/generated";
import { useRun, useStudio } from "./use";

export type Costs = components["schemas"]["CostsOut"];

/** Frames after which a run that is being computed is asked again. */
const EVERY = 24;

/** A share that is told beside an item without being asked for, and the seconds of a step from which on that matters. */
const MUCH = 0.3;
const SLOW = 0.01;

/** `drawn`: told anew whenever another picture has been drawn. */
function useCostsOf<T>(select: (costs: Costs) => T, drawn = ""): T | null {
  const trial = useRun((state) => state.trial?.id ?? null);
  const at = useRun(({ trial: now }) =>
    now?.state === "computing" ? Math.floor(now.computed / EVERY) : (now?.state ?? ""),
  );
  const found = useQuery({
    queryKey: ["costs", trial, at, drawn],
    queryFn: () => answered(api.GET("/api/trials/{trial_id}/costs", { params: { path: { trial_id: trial! } } })),
    enabled: trial !== null && at !== 0,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    select,
  });
  return found.data ?? null;
}

const same = (costs: Costs): Costs => costs;

/** All of it, with what looks took in the picture that is shown. */
export function useCosts(): Costs | null {
  const frame = useStudio((state) => (state.playing ? "playing" : String(state.frame)));
  const drawn = useStudio((state) => String(state.edition));
  return useCostsOf(same, `${frame} ${drawn}`);
}

/** What an item takes of a step (0 to 1), where that is to be told beside it. */
export function useShare(address: string): number | null {
  const asked = useStudio((state) => state.costs);
  const share = useCostsOf((costs) => {
    const seconds = costs.items[address];
    if (!seconds || !costs.seconds) return 0;
    const part = seconds / costs.seconds;
    return asked || (part >= MUCH && costs.seconds / costs.steps >= SLOW) ? part : 0;
  });
  return share || null;
}
