/** Windows of the table of a frame, as the server gives them. */

import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { components } from "@/api/generated";
import { useGlance } from "@/score/searching";

type Body = components["schemas"]["Window"];
export type Tabled = components["schemas"]["TableOut"];

export interface Asked {
  columns: string[];
  where: string;
  sort: number | null;
  descending: boolean;
  only: number[] | null;
}

/** Rows that are asked for together. */
export const ROWS = 200;

/** While it plays, the table is read so many times a second of the effect. */
const GLANCES = 4;

/** The trial and the frame that the table tells of. */
export const useTableFrame = () => useGlance(GLANCES);

const bodyOf = (asked: Asked, more: Partial<Body>): Body => ({ who: [], offset: 0, limit: ROWS, ...asked, ...more });

const fetched = (at: { trial: string; frame: number }, body: Body): Promise<Tabled> =>
  answered(
    api.POST("/api/trials/{trial_id}/frames/{number}/table", {
      params: { path: { trial_id: at.trial, number: at.frame } },
      body,
    }),
  );

/** Some windows by their numbers, each as soon as it is there; of one that is not, what was there before. */
export function useWindows(
  at: ReturnType<typeof useTableFrame>,
  asked: Asked,
  numbers: number[],
): (Tabled | undefined)[] {
  return useQueries({
    queries: numbers.map((number) => ({
      queryKey: ["table", at?.trial, at?.frame, asked, number],
      queryFn: () => fetched(at!, bodyOf(asked, { offset: number * ROWS })),
      enabled: at !== null,
      placeholderData: keepPreviousData,
      retry: false,
      staleTime: 60_000,
    })),
  }).map((found) => found.data);
}

/** In which row somebody is; null where it is in none. */
export function useRowOf(at: ReturnType<typeof useTableFrame>, asked: Asked, particle: number | null): number | null {
  const found = useQuery({
    queryKey: ["table row", at?.trial, at?.frame, asked, particle],
    queryFn: () =>
      fetched(
        at!,
        bodyOf({ ...asked, columns: asked.sort === null ? [] : asked.columns }, { limit: 1, find: particle }),
      ),
    enabled: at !== null && particle !== null,
    retry: false,
  });
  return found.data?.at ?? null;
}

const [MOST, AT_ONCE] = [5000, 1000];

/** The numbers of all that are shown, up to a bound. */
export async function idsShown(at: { trial: string; frame: number }, asked: Asked): Promise<number[]> {
  const ids: number[] = [];
  for (let offset = 0; offset < MOST; offset += AT_ONCE) {
    const found = await fetched(at, bodyOf({ ...asked, columns: [], sort: null }, { offset, limit: AT_ONCE }));
    ids.push(...found.ids);
    if (offset + AT_ONCE >= found.count) break;
  }
  return ids;
}

/** The whole table as a file's content. */
export async function whole(
  at: { trial: string; frame: number },
  asked: Asked,
  ending: "csv" | "tsv" | "parquet",
): Promise<{ name: string; content: Blob }> {
  const response = await fetch(`/api/trials/${at.trial}/frames/${at.frame}/table.${ending}`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(asked),
  });
  if (!response.ok) throw new Error(((await response.json()) as { detail?: string }).detail ?? response.statusText);
  const name = /filename="([^"]+)"/.exec(response.headers.get("Content-Disposition") ?? "")?.[1];
  return { name: name ?? `table.${ending}`, content: await response.blob() };
}
