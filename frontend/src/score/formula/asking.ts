/** What the server says of a formula: what can be named, and what it gives at the frame that is shown. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { components } from "@/api/generated";
import { useRun } from "@/state/use";
import { useGlance } from "../searching";
import type { Word } from "./language";
import type { Looked } from "./live";

type Draft = components["schemas"]["Draft"];
export type Sort = NonNullable<Draft["sort"]>;
/** What a formula stands for, where a sentence could stand in its place. */
export type Slot = NonNullable<Draft["slot"]>;

const NO_WORDS: Word[] = [];

export function useWords(fields: boolean): Word[] {
  const trial = useRun((state) => state.trial);
  const found = useQuery({
    queryKey: ["words", trial?.id, fields],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/words", {
          params: { path: { trial_id: trial!.id }, query: { fields } },
        }),
      ),
    enabled: trial !== null,
    placeholderData: keepPreviousData,
  });
  return found.data ?? NO_WORDS;
}

/** While it plays, values are asked for so many times a second of the effect. */
const GLANCES = 2;

/** What is wrong with a text, or what its lines give: now, where the frame has been computed, else of the latest that was. */
export function useLooked(
  text: string,
  sort: Sort,
  slot: Slot | null,
  who: string[],
  particle: number | null,
): { looked: Looked | null; current: boolean } {
  const at = useGlance(GLANCES);
  const found = useQuery({
    queryKey: ["formula", at?.trial, at?.frame, text, sort, slot, who, particle],
    queryFn: () =>
      answered(
        api.POST("/api/trials/{trial_id}/frames/{number}/formula", {
          params: { path: { trial_id: at!.trial, number: at!.frame } },
          body: { text, sort, slot, who, particle },
        }),
      ),
    enabled: at !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  // Until this text's own answer is there, that of the one before stands.
  return { looked: found.data ?? null, current: found.isSuccess && !found.isPlaceholderData };
}
