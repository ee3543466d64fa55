/** The four kinds of charts, drawn. */

import { area, line } from "d3-shape";
import { useMemo, useState } from "react";
import { ruleName } from "@/score/numbering";
import type { Effect } from "@/state/document";
import { lastFrame } from "@/state/run";
import { useSession, useStudio } from "@/state/use";
import { count, short } from "@/ui/numbers";
import type { Cloud, One, OverTime, Spread } from "./asking";
import { across, GROUND, Plot, upward } from "./Plot";

interface GroupColor {
  id: string;
  label: string;
  color: string;
}

export const groupsOf = (effect: Effect): GroupColor[] =>
  effect.groups.map(({ id, label, color }) => ({ id: String(id), label: String(label), color: String(color) }));

const least = (values: readonly number[]): number => values.reduce((a, b) => Math.min(a, b), Infinity);
const most = (values: readonly number[]): number => values.reduce((a, b) => Math.max(a, b), -Infinity);
const numbers = (values: readonly (number | null)[]): number[] => values.filter((value) => value !== null);

/** Where the frame that is nearest to one stands among those that were looked at. */
const placeNear = (frames: readonly number[], frame: number): number =>
  frames.reduce((best, other, place) => (Math.abs(other - frame) < Math.abs(frames[best]! - frame) ? place : best), 0);

/** Bars of each group on top of one another. */
export function SpreadPlot({ found, effect, powers, name }: SpreadProps) {
  const [over, setOver] = useState<number | null>(null);
  const groups = groupsOf(effect);
  const { edges } = found;
  const bins = edges.length - 1;
  const totals = edges
    .slice(1)
    .map((_edge, bin) => groups.reduce((sum, { id }) => sum + (found.counts[id]?.[bin] ?? 0), 0));
  const x = across(edges[0]!, edges[bins]!, powers.x);
  const y = upward(powers.y ? 0.8 : 0, Math.max(1, most(totals)), powers.y);
  const at =
    over === null ? null : edges.findIndex((edge, bin) => bin < bins && over >= edge && over < edges[bin + 1]!);
  return (
    <>
      <Plot
        x={x}
        y={y}
        label={`How ${name} is spread over ${found.total}${powers.x ? ", by powers of ten" : ""}`}
        names={{ x: name }}
        onMove={setOver}
        onLeave={() => setOver(null)}
      >
        {totals.map((_total, bin) => {
          let below = 0;
          return groups.map(({ id, color }) => {
            const number = found.counts[id]?.[bin] ?? 0;
            if (!number) return null;
            const [foot, head] = [below, below + number];
            below = head;
            const bottom = foot ? y(foot) : GROUND;
            const wide = Math.max(0.8, x(edges[bin + 1]!) - x(edges[bin]!) - 0.8);
            return (
              <rect
                key={`${bin} ${id}`}
                x={x(edges[bin]!)}
                y={Math.min(y(head), bottom - 0.8)}
                width={wide}
                height={Math.max(0.8, bottom - y(head))}
                fill={color}
                opacity={at === bin ? 1 : 0.85}
              />
            );
          });
        })}
        <line
          x1={x(found.mean)}
          x2={x(found.mean)}
          y1={6}
          y2={GROUND}
          stroke="var(--text)"
          strokeWidth={1}
          strokeDasharray="3 3"
        />
      </Plot>
      <p className="tabular text-xs text-soft">
        {at !== null && at >= 0
          ? `${count(totals[at]!)} from ${short(edges[at]!)} to ${short(edges[at + 1]!)}`
          : inShort(found)}
        {found.outside > 0 && `; ${count(found.outside)} not drawn`}
      </p>
    </>
  );
}

const inShort = ({ mean, total, median, low, high }: Spread): string =>
  `mean ${short(mean)}, half of ${count(total)} below ${short(median)}; ${short(low)} to ${short(high)}`;

interface SpreadProps {
  found: Spread;
  effect: Effect;
  powers: { x: boolean; y: boolean };
  name: string;
}

/** A point for each particle; the picked one is ringed, a click picks the nearest. */
export function CloudPlot({ found, effect, powers, names }: CloudProps) {
  const session = useSession();
  const picked = useStudio((state) => state.particle);
  const colors = new Map(groupsOf(effect).map(({ id, color }) => [id, color]));
  const fits = (x: number, y: number) => (!powers.x || x > 0) && (!powers.y || y > 0);
  const shown = found.ids.map((_id, place) => place).filter((place) => fits(found.x[place]!, found.y[place]!));
  const range = (values: number[]): [number, number] => {
    const those = shown.map((place) => values[place]!);
    return those.length ? [least(those), most(those)] : [0, 1];
  };
  const x = across(...range(found.x), powers.x);
  const y = upward(...range(found.y), powers.y);
  const at = found.ids.indexOf(picked ?? -1);
  const pick = (right: number, up: number) => {
    const away = (place: number) => Math.hypot(x(found.x[place]!) - x(right), y(found.y[place]!) - y(up));
    const nearest = shown.reduce<number | null>(
      (best, place) => (best === null || away(place) < away(best) ? place : best),
      null,
    );
    if (nearest !== null && away(nearest) < 14)
      session.set({ particle: found.ids[nearest]!, chosen: null, selected: null });
  };
  return (
    <>
      <Plot
        x={x}
        y={y}
        label={`${names.y} against ${names.x}, ${shown.length} points`}
        names={names}
        cursor="cursor-crosshair"
        onMove={(right, up, pressed) => pressed && pick(right, up)}
      >
        {shown.map((place) => (
          <circle
            key={found.ids[place]}
            cx={x(found.x[place]!)}
            cy={y(found.y[place]!)}
            r={shown.length > 800 ? 1.2 : 1.8}
            fill={colors.get(found.groups[place]!) ?? "var(--soft)"}
            opacity={0.75}
          />
        ))}
        {at >= 0 && fits(found.x[at]!, found.y[at]!) && (
          <circle cx={x(found.x[at]!)} cy={y(found.y[at]!)} r={5} fill="none" stroke="var(--text)" strokeWidth={1.4} />
        )}
      </Plot>
      <p className="tabular text-xs text-soft">
        {at >= 0
          ? `particle ${count(picked!)}: ${short(found.x[at]!)}, ${short(found.y[at]!)}`
          : shown.length < found.of
            ? `${count(shown.length)} of ${count(found.of)} are drawn`
            : `${count(found.of)}; a click picks one`}
      </p>
    </>
  );
}

interface CloudProps {
  found: Cloud;
  effect: Effect;
  powers: { x: boolean; y: boolean };
  names: { x: string; y: string };
}

/** The mean of each group over time, with a band of the middle four fifths. */
export function OverTimePlot({ found, effect, powers, name }: TimeProps & { found: OverTime }) {
  const session = useSession();
  const frame = useStudio((state) => state.frame);
  const groups = groupsOf(effect);
  const { x, y, spots } = useMemo(() => {
    const all = [...Object.values(found.lows), ...Object.values(found.highs)].flatMap(numbers);
    const shown = powers ? all.filter((value) => value > 0) : all;
    const last = Math.max(1, lastFrame(effect));
    const axisY = upward(shown.length ? least(shown) : 0, shown.length ? most(shown) : 1, powers);
    return { x: across(0, last), y: axisY, spots: found.frames.map((_frame, place) => place) };
  }, [found, effect, powers]);
  const nearest = placeNear(found.frames, frame);
  return (
    <>
      <Plot
        x={x}
        y={y}
        label={`${name} over time, by group`}
        names={{ y: name }}
        cursor="cursor-col-resize"
        onMove={(at, _up, pressed) => pressed && session.seek(Math.max(0, Math.min(lastFrame(effect), Math.round(at))))}
      >
        {groups.map(({ id, color }) => {
          const [means, lows, highs] = [found.means[id], found.lows[id], found.highs[id]];
          if (!means || !lows || !highs) return null;
          const there = (place: number) => means[place] != null && (!powers || means[place]! > 0);
          const band = area<number>(
            (place) => x(found.frames[place]!),
            (place) => y(lows[place]!),
            (place) => y(highs[place]!),
          ).defined(there);
          const middle = line<number>(
            (place) => x(found.frames[place]!),
            (place) => y(means[place]!),
          ).defined(there);
          return (
            <g key={id}>
              <path d={band(spots) ?? ""} fill={color} opacity={0.22} />
              <path d={middle(spots) ?? ""} fill="none" stroke={color} strokeWidth={1.6} />
            </g>
          );
        })}
        <Playhead x={x(frame)} />
      </Plot>
      <p className="tabular text-xs text-soft">
        <span className="text-brass">frame {found.frames[nearest]}</span>
        {groups.map(({ id, label, color }) => {
          const mean = found.means[id]?.[nearest];
          return mean == null ? null : (
            <span key={id} className="ml-2.5 whitespace-nowrap">
              <span className="mr-1 inline-block size-2 rounded-full" style={{ background: color }} />
              {label} {short(mean)} ({short(found.lows[id]![nearest]!)} to {short(found.highs[id]![nearest]!)})
            </span>
          );
        })}
      </p>
    </>
  );
}

interface TimeProps {
  effect: Effect;
  powers: boolean;
  name: string;
}

const Playhead = ({ x }: { x: number }) => (
  <line x1={x} x2={x} y1={4} y2={GROUND} stroke="var(--brass)" strokeWidth={1} />
);

/** One particle's value over time; ticks below tell where rules began and ceased to hold for it. */
export function OnePlot({ found, effect, powers, name }: TimeProps & { found: One }) {
  const session = useSession();
  const catalogue = useStudio((state) => state.catalogue);
  const frame = useStudio((state) => state.frame);
  const there = numbers(found.values).filter((value) => !powers || value > 0);
  const x = across(0, Math.max(1, lastFrame(effect)));
  const y = upward(there.length ? least(there) : 0, there.length ? most(there) : 1, powers);
  const spots = found.values.map((_value, place) => place);
  const path = line<number>(
    (place) => x(found.frames[place]!),
    (place) => y(found.values[place]!),
  ).defined((place) => found.values[place] !== null && (!powers || found.values[place]! > 0));
  const colors = new Map(groupsOf(effect).map(({ id, color }) => [id, color]));
  const words = (mark: One["marks"][number]): string => {
    if (mark.what === "moves")
      return `comes into ${effect.groups.find(({ id }) => String(id) === mark.item)?.label ?? "?"}`;
    const rule = effect.rules.findIndex(({ id }) => id === mark.item);
    return `rule ${rule < 0 ? "?" : ruleName(effect.rules, rule, catalogue)} ${mark.what}`;
  };
  const near = found.marks.filter((mark) => Math.abs(mark.frame - frame) < 1);
  const value = found.values[placeNear(found.frames, frame)];
  return (
    <>
      <Plot
        x={x}
        y={y}
        label={`${name} of the picked particle over time, ${found.marks.length} marks`}
        names={{ y: name }}
        cursor="cursor-col-resize"
        onMove={(at, _up, pressed) => pressed && session.seek(Math.max(0, Math.min(lastFrame(effect), Math.round(at))))}
      >
        <Playhead x={x(frame)} />
        {found.marks.map((mark, place) => (
          <line
            key={place}
            x1={x(mark.frame)}
            x2={x(mark.frame)}
            y1={mark.what === "ends" ? GROUND - 7 : 8}
            y2={GROUND}
            stroke={mark.what === "moves" ? (colors.get(mark.item) ?? "var(--soft)") : "var(--ice)"}
            strokeWidth={mark.what === "moves" ? 2 : 0.8}
            opacity={mark.what === "begins" ? 0.55 : 0.9}
          >
            <title>{`frame ${mark.frame}: ${words(mark)}`}</title>
          </line>
        ))}
        <path d={path(spots) ?? ""} fill="none" stroke="var(--text)" strokeWidth={1.6} />
      </Plot>
      <p className="tabular text-xs text-soft">
        <span className="text-brass">frame {frame}</span> {value == null ? "it is not there" : short(value)}
        {near.map((mark, place) => (
          <span key={place} className="block">
            {words(mark)}
          </span>
        ))}
      </p>
      {found.marks.length > 0 && (
        <ol className="mt-1 max-h-28 overflow-y-auto text-xs" aria-label="What happened to it">
          {found.marks.map((mark, place) => (
            <li key={place}>
              <button
                type="button"
                className="flex min-h-6 w-full items-center gap-2 text-left hover:text-ice"
                onClick={() => session.seek(mark.frame)}
              >
                <span className="tabular w-8 shrink-0 text-right text-brass">{mark.frame}</span>
                {words(mark)}
              </button>
            </li>
          ))}
        </ol>
      )}
    </>
  );
}
