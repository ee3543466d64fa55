/** How many particles there will be, by the server's dry run: asked for once for each commit, where any rule gives birth. */

import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import { answered, api } from "@/api/client";
import type { components } from "@/api/generated";
import type { Effect, Rule } from "./document";
import { useStudio } from "./use";

export type Forecast = components["schemas"]["ForecastOut"];

const ForecastContext = createContext<Forecast | null>(null);

const BIRTHS = new Set(["spawn", "mark"]);

/** Whether any action of a rule gives birth. */
export const givesBirth = ({ actions, otherwise }: Rule): boolean =>
  [...actions, ...otherwise].some(({ kind }) => BIRTHS.has(kind));

/** Whether any rule that is on gives birth. */
const multiplies = ({ rules }: Effect): boolean => rules.some((rule) => rule.enabled && givesBirth(rule));

export function ForecastProvider({ children }: { children: ReactNode }) {
  const document = useStudio((state) => state.committed);
  const asks = multiplies(document);
  const [forecast, setForecast] = useState<Forecast | null>(null);
  useEffect(() => {
    if (!asks) return;
    let current = true;
    answered(api.POST("/api/effects/forecast", { body: document })).then(
      (found) => current && setForecast(found.totals.length ? found : null),
      // What is wrong with the document is told elsewhere.
      () => current && setForecast(null),
    );
    return () => {
      current = false;
    };
  }, [document, asks]);
  return <ForecastContext value={asks ? forecast : null}>{children}</ForecastContext>;
}

/** The present forecast; null where nothing multiplies, or as long as there is none. */
export const useForecast = (): Forecast | null => useContext(ForecastContext);

/** When the number last rose to a value before or at a frame, between frames by even growth (frames); null where it never was lower. */
function risen(counts: readonly number[], frame: number, value: number): number | null {
  for (let at = Math.min(frame, counts.length) - 1; at >= 0; at--) {
    const [low, high] = [counts[at]!, counts[at + 1]!];
    if (low >= value) continue;
    return low > 0 && high > low ? at + Math.min(1, Math.log(value / low) / Math.log(high / low)) : at + 1;
  }
  return null;
}

/** Seconds in which the number at a frame has come from half of itself; null where it never was so few. */
export function doublingTime(counts: readonly number[], frame: number, framesPerSecond: number): number | null {
  const now = counts[frame] ?? 0;
  const [whole, half] = [risen(counts, frame, now), risen(counts, frame, now / 2)];
  return now < 1 || whole === null || half === null ? null : (whole - half) / framesPerSecond;
}
