/** Why a rule holds for nobody, and for how many each of its conditions holds by itself. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { Rule } from "@/state/document";
import { useRun, useStudio } from "@/state/use";
import type { Branch, BranchCurves } from "./context";

const INSTANTS: readonly Rule["trigger"][] = ["contact", "birth", "death"];

/** Whether a rule acts at single moments, not over a time. */
export const isInstant = (trigger: Rule["trigger"]): boolean => INSTANTS.includes(trigger);

/** What has conditions: a rule, or a look. */
export type Owner = { rule: string } | { look: string };

/** Counts for each condition of a rule or a look, and words where a rule holds for nobody. It is not asked while it plays. */
export function useExplanation(owner: Owner, wanted: boolean): { text: string; branches: Branch[] } | null {
  const trial = useRun((state) => (wanted ? state.trial : null));
  const frame = useStudio((state) => (wanted && !state.playing ? state.frame : -1));
  const there = trial !== null && frame >= 0 && frame < trial.computed;
  const found = useQuery({
    queryKey: ["explain", trial?.id, frame, owner, trial?.state],
    queryFn: () => {
      const place = { trial_id: trial!.id, number: frame };
      return "rule" in owner
        ? answered(
            api.GET("/api/trials/{trial_id}/frames/{number}/rules/{rule}", {
              params: { path: { ...place, ...owner } },
            }),
          )
        : answered(
            api.GET("/api/trials/{trial_id}/frames/{number}/looks/{look}", {
              params: { path: { ...place, ...owner } },
            }),
          );
    },
    enabled: wanted && there,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return wanted ? (found.data ?? null) : null;
}

/** For how many each condition of a rule or a look holds over time, once all frames are there. */
export function useBranchCurves(owner: Owner, wanted: boolean): BranchCurves | null {
  const trial = useRun((state) => (wanted ? state.trial : null));
  const found = useQuery({
    queryKey: ["curves", trial?.id, owner],
    queryFn: () => {
      const place = { trial_id: trial!.id };
      return "rule" in owner
        ? answered(api.GET("/api/trials/{trial_id}/rules/{rule}/curves", { params: { path: { ...place, ...owner } } }))
        : answered(api.GET("/api/trials/{trial_id}/looks/{look}/curves", { params: { path: { ...place, ...owner } } }));
    },
    enabled: trial !== null && trial.computed > 0 && trial.state !== "computing",
    placeholderData: keepPreviousData,
    retry: false,
  });
  return wanted ? (found.data ?? null) : null;
}
