/** Charts: how many are in each group over time, and how they flow from group to group by which rules. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { area, curveBumpX } from "d3-shape";
import { useMemo, useState } from "react";
import { answered, api, type Catalogue } from "@/api/client";
import { OwnCharts } from "@/charts/OwnCharts";
import type { Effect, Node } from "@/state/document";
import type { ChartPage } from "@/state/session";
import { Hint } from "@/ui/controls";
import { ruleName } from "@/score/numbering";
import { cx } from "@/ui/cx";
import { count } from "@/ui/numbers";
import { Costs } from "./Costs";
import { PopulationChart } from "./Population";
import { TimeBetween } from "./TimeBetween";
import { useRun, useSession, useStudio } from "@/state/use";

const WIDTH = 286;

const PAGES: { id: ChartPage; label: string; hint: string }[] = [
  { id: "groups", label: "Groups", hint: "How many are in each group, and how they flow between them" },
  { id: "values", label: "Values", hint: "Anything that particles have or know, drawn" },
  { id: "between", label: "Between", hint: "How long it takes from one thing to another" },
  { id: "time", label: "Time", hint: "Where the time of a step goes" },
];

export function Charts() {
  const effect = useStudio((state) => state.document);
  const session = useSession();
  const page = useStudio((state) => state.chartPage);
  return (
    <div className="space-y-4 p-3">
      <div role="group" aria-label="Charts of" className="flex gap-1 text-xs">
        {PAGES.map(({ id, label, hint }) => (
          <Hint key={id} text={hint}>
            <button
              type="button"
              aria-pressed={page === id}
              onClick={() => session.set({ chartPage: id })}
              className={cx(
                "h-6 flex-1 rounded border px-1",
                page === id ? "border-ice/60 text-ice" : "border-line text-soft hover:text-text",
              )}
            >
              {label}
            </button>
          </Hint>
        ))}
      </div>
      {page === "groups" && (
        <>
          <PopulationChart effect={effect} />
          <FlowDiagram effect={effect} />
        </>
      )}
      {page === "values" && <OwnCharts effect={effect} />}
      {page === "between" && <TimeBetween effect={effect} />}
      {page === "time" && <Costs effect={effect} />}
    </div>
  );
}

interface Flow {
  frames: number[];
  population: number[][];
  ribbons: number[][];
  moves: number[][];
  sampled: boolean;
  /** Ids of what is told by number. */
  groups: string[];
  rules: string[];
}

interface Ribbon {
  slice: number;
  from: number;
  to: number;
  number: number;
  fromTop: number;
  toTop: number;
}

const OUTSIDE = -1;
const HIGH = 250;
const TOP = 16;
const BAR = 7;
const GAP = 9;

/** Who is where at a few moments, joined by ribbons as wide as the number of particles that went that way. */
function FlowDiagram({ effect }: { effect: Effect }) {
  const catalogue = useStudio((state) => state.catalogue);
  const session = useSession();
  const trial = useRun((state) => state.trial);
  const [chosen, setChosen] = useState<Ribbon | null>(null);
  const found = useQuery({
    queryKey: ["flow", trial?.key, trial?.state === "computing" ? Math.floor((trial?.computed ?? 0) / 24) : "all"],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/flow", { params: { path: { trial_id: trial!.id }, query: { most: 6 } } }),
      ),
    enabled: !!trial && trial.computed > 1,
    placeholderData: keepPreviousData,
  });
  const flow = found.data as Flow | undefined;
  const drawn = useMemo(() => (flow && flow.frames.length > 1 ? laidOut(flow, flow.groups.length) : null), [flow]);
  if (!flow || !drawn) return null;
  const x = scaleLinear([0, flow.frames.length - 1], [2, WIDTH - 2 - BAR]);
  const groups = groupsOf(flow, effect);
  const color = (group: number): string => String(groups[group]?.color ?? "var(--soft)");
  const ribbon = area<[number, number, number]>(
    (point) => point[0],
    (point) => point[1],
    (point) => point[2],
  ).curve(curveBumpX);
  return (
    <section aria-label="Flow between groups">
      <h3 className="font-medium">Flow between groups</h3>
      <p className="mb-1 text-xs text-soft">
        Who is where at six moments, and who goes where in between. Rest on a ribbon to see by which rules.
      </p>
      <svg
        viewBox={`0 0 ${WIDTH} ${HIGH + TOP + 4}`}
        className="w-full"
        role="img"
        aria-label={told(flow, effect, catalogue)}
        onPointerLeave={() => setChosen(null)}
      >
        {flow.frames.map((frame, slice) => (
          <text
            key={frame}
            x={x(slice) + (slice === 0 ? 0 : slice === flow.frames.length - 1 ? BAR : BAR / 2)}
            y={10}
            textAnchor={slice === 0 ? "start" : slice === flow.frames.length - 1 ? "end" : "middle"}
            fontSize={12}
            fill="var(--brass)"
            className="tabular cursor-pointer"
            onClick={() => session.seek(frame)}
          >
            {frame}
          </text>
        ))}
        {drawn.ribbons.map((entry, index) => {
          const [left, right] = [x(entry.slice) + BAR, x(entry.slice + 1)];
          const tall = entry.number * drawn.scale;
          // What comes from outside begins as a point below, what leaves ends as one.
          const points: [number, number, number][] =
            entry.from === OUTSIDE
              ? [
                  [left + (right - left) * 0.55, entry.toTop + tall, entry.toTop + tall],
                  [right, entry.toTop, entry.toTop + tall],
                ]
              : entry.to === OUTSIDE
                ? [
                    [left, entry.fromTop, entry.fromTop + tall],
                    [left + (right - left) * 0.45, entry.fromTop + tall, entry.fromTop + tall],
                  ]
                : [
                    [left, entry.fromTop, entry.fromTop + tall],
                    [right, entry.toTop, entry.toTop + tall],
                  ];
          const active = chosen && chosen.slice === entry.slice && chosen.from === entry.from && chosen.to === entry.to;
          return (
            <path
              key={index}
              d={ribbon(points) ?? ""}
              fill={color(entry.from === OUTSIDE ? entry.to : entry.from)}
              opacity={active ? 0.85 : entry.from === entry.to ? 0.28 : 0.5}
              onPointerEnter={() => setChosen(entry)}
            />
          );
        })}
        {drawn.bars.map((bar) => (
          <rect
            key={`${bar.slice} ${bar.group}`}
            x={x(bar.slice)}
            y={bar.top}
            width={BAR}
            height={Math.max(0.8, bar.height)}
            fill={color(bar.group)}
            rx={1.5}
          >
            <title>{`${label(groups, bar.group)}: ${count(bar.number)} at frame ${flow.frames[bar.slice]}`}</title>
          </rect>
        ))}
      </svg>
      <div className="min-h-14 text-xs leading-relaxed text-soft">
        {chosen ? (
          <RibbonWords ribbon={chosen} flow={flow} effect={effect} />
        ) : (
          <TotalWords flow={flow} effect={effect} />
        )}
      </div>
      {flow.sampled && (
        <p className="text-xs text-brass">
          The run wrote too many events to keep: from there on one particle in sixteen is followed.
        </p>
      )}
    </section>
  );
}

function laidOut(flow: Flow, groups: number) {
  const totals = flow.population.map((slice) => slice.reduce((sum, number) => sum + number, 0));
  const scale = (HIGH - GAP * Math.max(0, groups - 1)) / Math.max(1, ...totals);
  const bars: { slice: number; group: number; top: number; height: number; number: number }[] = [];
  flow.population.forEach((slice, index) => {
    let top = TOP;
    slice.forEach((number, group) => {
      if (number > 0) bars.push({ slice: index, group, top, height: number * scale, number });
      if (number > 0) top += number * scale + GAP;
    });
  });
  const barOf = (slice: number, group: number) => bars.find((bar) => bar.slice === slice && bar.group === group);
  const used = new Map<string, number>();
  const take = (side: string, slice: number, group: number, number: number): number => {
    const key = `${side} ${slice} ${group}`;
    const before = used.get(key) ?? 0;
    used.set(key, before + number);
    return (barOf(slice, group)?.top ?? TOP) + before * scale;
  };
  // Leaving and coming lie lowest in their bars, so that ribbons between groups do not cross them.
  const order = (group: number) => (group === OUTSIDE ? Infinity : group);
  const ribbons: Ribbon[] = [...flow.ribbons]
    .sort((a, b) => a[0]! - b[0]! || order(a[1]!) - order(b[1]!) || order(a[2]!) - order(b[2]!))
    .map(([slice, from, to, number]) => ({
      slice: slice!,
      from: from!,
      to: to!,
      number: number!,
      fromTop: from === OUTSIDE ? 0 : take("out", slice!, from!, number!),
      toTop: to === OUTSIDE ? 0 : take("in", slice! + 1, to!, number!),
    }));
  return { bars, ribbons, scale };
}

const label = (groups: readonly (Node | undefined)[], index: number): string => String(groups[index]?.label ?? "?");
/** The groups that a flow tells of by number, as they are now. */
const groupsOf = (flow: Flow, effect: Effect): (Node | undefined)[] =>
  flow.groups.map((id) => effect.groups.find((group) => group.id === id));
const nameOfRule = (flow: Flow, effect: Effect, catalogue: Catalogue, number: number): string =>
  `rule ${ruleName(
    effect.rules,
    effect.rules.findIndex((rule) => rule.id === flow.rules[number]),
    catalogue,
  )}`;

function RibbonWords({ ribbon, flow, effect }: { ribbon: Ribbon; flow: Flow; effect: Effect }) {
  const catalogue = useStudio((state) => state.catalogue);
  const groups = groupsOf(flow, effect);
  const span = `between frames ${flow.frames[ribbon.slice]} and ${flow.frames[ribbon.slice + 1]}`;
  const number = <b className="tabular font-medium text-text">{count(ribbon.number)}</b>;
  const rules = flow.moves.filter(
    ([slice, from, to]) => slice === ribbon.slice && from === ribbon.from && to === ribbon.to,
  );
  if (ribbon.from === OUTSIDE)
    return (
      <p>
        {number} born {span} are in {label(groups, ribbon.to)}
      </p>
    );
  if (ribbon.to === OUTSIDE)
    return (
      <p>
        {number} of {label(groups, ribbon.from)} leave {span}
      </p>
    );
  if (ribbon.from === ribbon.to)
    return (
      <p>
        {number} stay in {label(groups, ribbon.from)} {span}
      </p>
    );
  return (
    <p>
      {number} go from {label(groups, ribbon.from)} to {label(groups, ribbon.to)} {span}
      {rules.map(([, , , rule, moves]) => (
        <span key={rule} className="block">
          by {nameOfRule(flow, effect, catalogue, rule!)} <span className="tabular">({count(moves!)})</span>
        </span>
      ))}
      {rules.length === 0 && <span className="block">by way of another group</span>}
    </p>
  );
}

/** All moves of the run by rule. */
function TotalWords({ flow, effect }: { flow: Flow; effect: Effect }) {
  const catalogue = useStudio((state) => state.catalogue);
  const totals = new Map<string, { from: number; to: number; rule: number; number: number }>();
  for (const [, from, to, rule, number] of flow.moves) {
    const key = `${from} ${to} ${rule}`;
    const entry = totals.get(key) ?? { from: from!, to: to!, rule: rule!, number: 0 };
    totals.set(key, { ...entry, number: entry.number + number! });
  }
  const groups = groupsOf(flow, effect);
  const list = [...totals.values()].sort((a, b) => b.number - a.number).slice(0, 8);
  if (list.length === 0) return <p>No rule moves anybody from one group to another.</p>;
  return (
    <ul>
      {list.map((entry, index) => (
        <li key={index} className="flex justify-between gap-2">
          <span>
            {label(groups, entry.from)} → {label(groups, entry.to)}, {nameOfRule(flow, effect, catalogue, entry.rule)}
          </span>
          <span className="tabular">{count(entry.number)}</span>
        </li>
      ))}
    </ul>
  );
}

function told(flow: Flow, effect: Effect, catalogue: Catalogue): string {
  const groups = groupsOf(flow, effect);
  const moves = flow.moves.map(
    ([slice, from, to, rule, number]) =>
      `${count(number!)} from ${label(groups, from!)} to ${label(groups, to!)} by ` +
      `${nameOfRule(flow, effect, catalogue, rule!)} before frame ${flow.frames[slice! + 1]}`,
  );
  return `Flow between groups: ${moves.slice(0, 12).join("; ") || "no moves"}`;
}
