/** What charts draw, as the server reads it of the frames. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { components } from "@/api/generated";
import { useGlance } from "@/score/searching";
import { useRun } from "@/state/use";
import type { OwnChart } from "./own";

export type Spread = components["schemas"]["SpreadOut"];
export type Cloud = components["schemas"]["CloudOut"];
export type OverTime = components["schemas"]["OverTimeOut"];
export type One = components["schemas"]["OneOut"];

/** While it plays, charts of a frame are drawn so many times a second of the effect. */
const GLANCES = 4;
/** Frames after which a chart over time is drawn again while they are being computed. */
const EVERY = 48;

const kept = { placeholderData: keepPreviousData, retry: false, staleTime: 60_000 } as const;

export function useSpread({ of, where, powersX }: OwnChart): Spread | null {
  const at = useGlance(GLANCES);
  const found = useQuery({
    queryKey: ["chart spread", at?.trial, at?.frame, of, where, powersX],
    queryFn: () =>
      answered(
        api.POST("/api/trials/{trial_id}/frames/{number}/charts/spread", {
          params: { path: { trial_id: at!.trial, number: at!.frame } },
          body: { of, where, powers: powersX },
        }),
      ),
    enabled: at !== null,
    ...kept,
  });
  return found.data ?? null;
}

export function useCloud({ of, against, where }: OwnChart, always: number | null): Cloud | null {
  const at = useGlance(GLANCES);
  const found = useQuery({
    queryKey: ["chart against", at?.trial, at?.frame, of, against, where, always],
    queryFn: () =>
      answered(
        api.POST("/api/trials/{trial_id}/frames/{number}/charts/against", {
          params: { path: { trial_id: at!.trial, number: at!.frame } },
          body: { of, against, where, always },
        }),
      ),
    enabled: at !== null,
    ...kept,
  });
  return found.data ?? null;
}

/** The trial, and how far it is in steps that matter here. */
function useComputed(): { trial: string; at: string } | null {
  const trial = useRun((state) => state.trial?.id ?? null);
  const at = useRun(({ trial: now }) =>
    !now?.computed ? "" : now.state === "computing" ? String(Math.ceil(now.computed / EVERY)) : now.state,
  );
  return trial !== null && at ? { trial, at } : null;
}

export function useOverTime({ of, where }: OwnChart): OverTime | null {
  const asked = useComputed();
  const found = useQuery({
    queryKey: ["chart over time", asked?.trial, asked?.at, of, where],
    queryFn: () =>
      answered(
        api.POST("/api/trials/{trial_id}/charts/over-time", {
          params: { path: { trial_id: asked!.trial } },
          body: { of, where },
        }),
      ),
    enabled: asked !== null,
    ...kept,
  });
  return found.data ?? null;
}

export function useOne({ of }: OwnChart, particle: number | null): One | null {
  const asked = useComputed();
  const found = useQuery({
    queryKey: ["chart one", asked?.trial, asked?.at, of, particle],
    queryFn: () =>
      answered(
        api.POST("/api/trials/{trial_id}/charts/one", {
          params: { path: { trial_id: asked!.trial } },
          body: { of, particle: particle! },
        }),
      ),
    enabled: asked !== null && particle !== null,
    ...kept,
  });
  return particle === null ? null : (found.data ?? null);
}
