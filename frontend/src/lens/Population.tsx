/** How many are in each group over time, with what was expected, and in which time they have doubled. */

import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { useMemo, useState } from "react";
import type { Effect } from "@/state/document";
import { doublingTime, useForecast } from "@/state/forecast";
import { lastFrame, type FrameStats } from "@/state/run";
import { useBeside, useRun, useSession, useStudio } from "@/state/use";
import { count } from "@/ui/numbers";

const WIDTH = 286;
const TALL = 132;
const LEFT = 44;

export function PopulationChart({ effect }: { effect: Effect }) {
  const session = useSession();
  const stats = useRun((state) => state.stats);
  const frame = useStudio((state) => state.frame);
  const [over, setOver] = useState<number | null>(null);
  const last = lastFrame(effect);
  const forecast = useForecast();
  const beside = useBeside((state) => state.stats);
  const [log, setLog] = useState(false);
  const most = useMemo(
    () =>
      Math.max(
        1,
        ...stats.flatMap((entry) => Object.values(entry.population)),
        ...Object.values(forecast?.groups ?? {}).flat(),
        ...(beside ?? []).flatMap((entry) => Object.values(entry.population)),
      ),
    [stats, forecast, beside],
  );
  const x = scaleLinear([0, last], [LEFT, WIDTH - 4]);
  const linear = scaleLinear([0, most], [TALL - 16, 6]).nice(3);
  const powers = scaleLog([1, Math.max(10, most)], [TALL - 16, 6]);
  // Nobody lies on the axis of a chart of powers.
  const y = (value: number) => (log ? powers(Math.max(1, value)) : linear(value));
  const ticks = log ? powers.ticks(3).filter((tick) => Number.isInteger(Math.log10(tick))) : linear.ticks(3);
  const at = over ?? frame;
  const frameAt = (event: React.PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.max(0, Math.min(last, Math.round(x.invert(((event.clientX - box.left) / box.width) * WIDTH))));
  };
  return (
    <section aria-label="Population">
      <div className="mb-1 flex items-baseline justify-between">
        <h3 className="font-medium">Population</h3>
        <button
          type="button"
          aria-pressed={log}
          onClick={() => setLog(!log)}
          className={`rounded px-1 py-0.5 text-xs ${log ? "text-brass" : "text-soft hover:text-ice"}`}
        >
          by powers of ten
        </button>
      </div>
      <svg
        viewBox={`0 0 ${WIDTH} ${TALL}`}
        className="w-full cursor-col-resize touch-none"
        role="img"
        aria-label={`Population of each group over ${last} frames`}
        onPointerMove={(event) => {
          setOver(frameAt(event));
          if (event.buttons === 1) session.seek(frameAt(event));
        }}
        onPointerDown={(event) => session.seek(frameAt(event))}
        onPointerLeave={() => setOver(null)}
      >
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={WIDTH - 4} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={0.7} />
            <text x={LEFT - 4} y={y(tick) + 3} textAnchor="end" fontSize={12} fill="var(--soft)" className="tabular">
              {brief(tick)}
            </text>
          </g>
        ))}
        {x.ticks(5).map((tick) => (
          <text
            key={tick}
            x={x(tick)}
            y={TALL - 4}
            textAnchor={x(tick) > WIDTH - 14 ? "end" : "middle"}
            fontSize={12}
            fill="var(--soft)"
            className="tabular"
          >
            {tick}
          </text>
        ))}
        {effect.groups.map((group) => {
          const expected = forecast?.groups[String(group.id)];
          const path = expected && line<number>((_value, index) => x(index), y)(expected);
          return path ? (
            <path
              key={`expected ${String(group.id)}`}
              d={path}
              fill="none"
              stroke={String(group.color)}
              strokeWidth={1.2}
              strokeDasharray="4 3"
              opacity={0.6}
            />
          ) : null;
        })}
        {[beside, stats].map((run, index) =>
          effect.groups.map((group) => {
            const path = line<FrameStats>(
              (entry) => x(entry.frame),
              (entry) => y(entry.population[String(group.id)] ?? 0),
            )(run ?? []);
            return path ? (
              <path
                key={`${index} ${String(group.id)}`}
                d={path}
                fill="none"
                stroke={String(group.color)}
                strokeWidth={index ? 1.6 : 2.6}
                strokeLinecap="round"
                strokeDasharray={index ? undefined : "0.1 5"}
              />
            ) : null;
          }),
        )}
        <line
          x1={x(at)}
          x2={x(at)}
          y1={4}
          y2={TALL - 16}
          stroke="var(--brass)"
          strokeWidth={1}
          opacity={over === null ? 1 : 0.6}
        />
      </svg>
      <p className="tabular mt-1 text-xs text-soft">
        <span className="text-brass">frame {at}</span>
        {effect.groups.map((group) => (
          <span key={String(group.id)} className="ml-2.5 whitespace-nowrap">
            <span className="mr-1 inline-block size-2 rounded-full" style={{ background: String(group.color) }} />
            {String(group.label)} {count(stats[at]?.population[String(group.id)] ?? 0)}
            {beside && `, beside it ${count(beside[at]?.population[String(group.id)] ?? 0)}`}
          </span>
        ))}
      </p>
      <Doubling at={at} />
    </section>
  );
}

/** In which time the number has doubled last, as it was counted and as it is expected. */
function Doubling({ at }: { at: number }) {
  const stats = useRun((state) => state.stats);
  const rate = useStudio((state) => Number(state.document.clock.frames_per_second));
  const forecast = useForecast();
  const counts = useMemo(() => stats.map((entry) => entry.count), [stats]);
  if (!forecast) return null;
  const [counted, expected] = [counts, forecast.totals].map((numbers) => doublingTime(numbers, at, rate));
  const told = (seconds: number | null | undefined) => (seconds ? `${Number(seconds.toPrecision(3))} s` : "–");
  return (
    <p className="tabular mt-1 text-xs text-soft" data-testid="doubling">
      doubled within <span className="text-text">{told(counted)}</span>, expected {told(expected)}
    </p>
  );
}

const brief = (value: number): string =>
  value >= 1e6 ? `${value / 1e6} M` : value >= 1e4 ? `${value / 1e3} k` : String(value);
