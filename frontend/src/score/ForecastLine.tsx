/** Beside a rule that gives birth: how many there will be, before it has run, and what that leaves out. */

import { useForecast } from "@/state/forecast";
import { count } from "@/ui/numbers";
import { useStudio } from "@/state/use";

export function ForecastLine() {
  const forecast = useForecast();
  const budget = useStudio((state) => Number(state.document.clock.particle_budget));
  if (!forecast) return null;
  const { totals, budget_at: full, sampled_from: sampled, left_out: without, complete } = forecast;
  const last = totals.length - 1;
  const about = sampled === null ? "" : "about ";
  return (
    <p className="text-xs leading-5 text-soft" data-testid="forecast">
      {full === null ? (
        <>
          Forecast: {about}
          <span className="tabular text-text">{count(totals[last]!)}</span> at frame {last}
          {!complete && ", as far as it has come"}
        </>
      ) : (
        <>
          Forecast: the budget of <span className="tabular text-text">{count(budget)}</span> is reached at frame {full}
        </>
      )}
      {without.length > 0 && <>. Not followed: {without.join("; ")}</>}
    </p>
  );
}
