/** Charts that the artist has asked for, kept in this browser for each effect. */

import { useApp, usePreferences, useSession } from "@/state/use";

export type ChartKind = "spread" | "against" | "over_time" | "one";

export interface OwnChart {
  kind: ChartKind;
  /** What is drawn, as a name or formula; of a cloud of points what goes across. */
  of: string;
  /** Of a cloud of points what goes up. */
  against: string;
  /** For whom, as a formula; everybody where it is empty. */
  where: string;
  /** Whether the axis of the values is one of powers of ten: that across, and that upward. */
  powersX: boolean;
  powersY: boolean;
}

export const KINDS: Record<ChartKind, { title: string; about: string }> = {
  spread: { title: "How it is spread", about: "at this frame, by group" },
  against: { title: "One against another", about: "a point for each particle, at this frame" },
  over_time: { title: "Over time", about: "the mean of each group, and where most of it is" },
  one: { title: "Of the picked particle", about: "over time, with the rules that acted on it" },
};

export const begun = (kind: ChartKind): OwnChart => ({
  kind,
  of: kind === "against" ? "age" : "speed",
  against: "speed",
  where: "",
  powersX: false,
  powersY: false,
});

const FIRST: OwnChart[] = [begun("spread")];

export function useOwnCharts(): [OwnChart[], (charts: OwnChart[]) => void] {
  const app = useApp();
  const { id } = useSession();
  const charts = usePreferences((state) => state.charts[id]) ?? FIRST;
  const keep = (next: OwnChart[]) => app.preferences.setState((state) => ({ charts: { ...state.charts, [id]: next } }));
  return [charts, keep];
}
