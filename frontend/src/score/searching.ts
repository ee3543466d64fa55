/** What a neighbourhood found at the frame on the stage. It is not asked while it plays. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api, type Histogram } from "@/api/client";
import type { components } from "@/api/generated";
import { useRun, useStudio } from "@/state/use";

export type Search = components["schemas"]["SearchOut"];

/** The trial and frame to ask about, once that frame is there. */
/** The trial and frame that are looked at, where that frame is there; none while playing. */
export function useAsked(): { trial: string; frame: number } | null {
  const trial = useRun((state) => state.trial?.id ?? null);
  const frame = useStudio((state) => (state.playing ? -1 : state.frame));
  const there = useRun((state) => state.trial !== null && frame >= 0 && frame < state.trial.computed);
  return trial !== null && there ? { trial, frame } : null;
}

/** The same while playing too, so many times a second of the effect; of frames that are not there yet the latest that is. */
export function useGlance(times: number): { trial: string; frame: number } | null {
  const trial = useRun((state) => state.trial);
  const frame = useStudio(({ playing, frame: at, document }) => {
    const every = playing ? Math.max(1, Math.round(document.clock.frames_per_second / times)) : 1;
    return Math.floor(at / every) * every;
  });
  if (!trial || trial.computed === 0) return null;
  return { trial: trial.id, frame: Math.min(frame, trial.computed - 1) };
}

/** How a neighbourhood did, and what one particle saw in it. */
export function useSearch(neighbourhood: string, particle: number | null = null): Search | null {
  const asked = useAsked();
  const found = useQuery({
    queryKey: ["search", asked?.trial, asked?.frame, neighbourhood, particle],
    queryFn: () => {
      const path = { trial_id: asked!.trial, number: asked!.frame, neighbourhood };
      const query = particle === null ? {} : { particle };
      const params = { path, query };
      return answered(api.GET("/api/trials/{trial_id}/frames/{number}/neighbourhoods/{neighbourhood}", { params }));
    },
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return found.data ?? null;
}

/** How far away the nearest of each seeker is, whatever the reach. */
export function useDistances(neighbourhood: string): Histogram | null {
  const asked = useAsked();
  const found = useQuery({
    queryKey: ["distances", asked?.trial, asked?.frame, neighbourhood],
    queryFn: () => {
      const params = { path: { trial_id: asked!.trial, number: asked!.frame, neighbourhood } };
      return answered(
        api.GET("/api/trials/{trial_id}/frames/{number}/neighbourhoods/{neighbourhood}/distances", { params }),
      );
    },
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return found.data ?? null;
}
