/** Charts of any quantities, by name or formula: as many as one likes. */

import { X } from "lucide-react";
import { useRef, useState } from "react";
import type { Effect } from "@/state/document";
import { useStudio } from "@/state/use";
import { Typed, useUnits } from "@/table/parts";
import { IconButton, Menu } from "@/ui/controls";
import { useCloud, useOne, useOverTime, useSpread, type Cloud, type One, type OverTime, type Spread } from "./asking";
import { CloudPlot, groupsOf, OnePlot, OverTimePlot, SpreadPlot } from "./drawn";
import { begun, KINDS, useOwnCharts, type ChartKind, type OwnChart } from "./own";
import { save } from "@/ui/save";
import { csvOf, drawingOf, pictureOf } from "./saving";

const ORDER: ChartKind[] = ["spread", "against", "over_time", "one"];

export function OwnCharts({ effect }: { effect: Effect }) {
  const [charts, keep] = useOwnCharts();
  // The newest comes first, where one is looking.
  const add = (kind: ChartKind) => keep([begun(kind), ...charts]);
  return (
    <div className="space-y-6">
      <Menu
        trigger={
          <button type="button" className="h-6 text-xs text-soft hover:text-ice">
            + chart
          </button>
        }
        entries={ORDER.map((kind) => ({
          label: KINDS[kind].title,
          hint: KINDS[kind].about,
          onSelect: () => add(kind),
        }))}
      />
      {charts.map((chart, place) => (
        <Own
          key={`${charts.length - place} ${chart.kind}`}
          chart={chart}
          effect={effect}
          onChange={(change) => keep(charts.map((other, at) => (at === place ? { ...other, ...change } : other)))}
          onRemove={() => keep(charts.filter((_other, at) => at !== place))}
        />
      ))}
      {charts.length === 0 && <p className="text-soft">A chart of anything that particles have or know:</p>}
    </div>
  );
}

interface OwnProps {
  chart: OwnChart;
  effect: Effect;
  onChange: (change: Partial<OwnChart>) => void;
  onRemove: () => void;
}

/** What is told of a chart whichever kind it is. */
interface Told {
  faults: { of: string; against: string; where: string };
  drawn: React.ReactNode;
  rows: () => { head: string[]; rows: (string | number | null)[][] };
}

function Own(props: OwnProps) {
  const { kind } = props.chart;
  if (kind === "spread") return <OfSpread {...props} />;
  if (kind === "against") return <OfCloud {...props} />;
  if (kind === "over_time") return <OfTime {...props} />;
  return <OfOne {...props} />;
}

/** The server tells one fault, and whose it is. */
const faulty = (fault: string, ofWhere: boolean, against = ""): Told["faults"] => ({
  of: ofWhere ? "" : fault,
  where: ofWhere ? fault : "",
  against,
});

function OfSpread(props: OwnProps) {
  const { chart, effect } = props;
  const found = useSpread(chart);
  const powers = { x: chart.powersX, y: chart.powersY };
  const told: Told | null = found && {
    faults: faulty(found.fault, found.fault_of_where),
    drawn: found.total > 0 && <SpreadPlot found={found} effect={effect} powers={powers} name={chart.of} />,
    rows: () => rowsOfSpread(found, effect),
  };
  return <Framed {...props} told={told} empty={found?.total === 0} />;
}

function rowsOfSpread(found: Spread, effect: Effect) {
  const groups = groupsOf(effect);
  const rows = found.edges
    .slice(1)
    .map((edge, bin) => [found.edges[bin]!, edge, ...groups.map(({ id }) => found.counts[id]?.[bin] ?? 0)]);
  return { head: ["from", "to", ...groups.map(({ label }) => label)], rows };
}

function OfCloud(props: OwnProps) {
  const { chart, effect } = props;
  const picked = useStudio((state) => state.particle);
  const found = useCloud(chart, picked);
  const powers = { x: chart.powersX, y: chart.powersY };
  const names = { x: chart.of, y: chart.against };
  const told: Told | null = found && {
    faults: faulty(found.fault, found.fault_of_where, found.fault_of_against),
    drawn: found.of > 0 && <CloudPlot found={found} effect={effect} powers={powers} names={names} />,
    rows: () => rowsOfCloud(found, effect, names),
  };
  return <Framed {...props} told={told} empty={found?.of === 0} />;
}

function rowsOfCloud(found: Cloud, effect: Effect, names: { x: string; y: string }) {
  const labels = new Map(groupsOf(effect).map(({ id, label }) => [id, label]));
  const rows = found.ids.map((id, at) => [id, labels.get(found.groups[at]!) ?? "", found.x[at]!, found.y[at]!]);
  return { head: ["id", "group", names.x, names.y], rows };
}

function OfTime(props: OwnProps) {
  const { chart, effect } = props;
  const found = useOverTime(chart);
  const told: Told | null = found && {
    faults: faulty(found.fault, found.fault_of_where),
    drawn: <OverTimePlot found={found} effect={effect} powers={chart.powersY} name={chart.of} />,
    rows: () => rowsOfTime(found, effect),
  };
  return (
    <Framed {...props} told={told} empty={!!found && Object.values(found.counts).every((row) => !row.some(Boolean))} />
  );
}

function rowsOfTime(found: OverTime, effect: Effect) {
  const groups = groupsOf(effect);
  const head = groups.flatMap(({ label }) => [
    `${label} number`,
    `${label} mean`,
    `${label} tenth`,
    `${label} nine tenths`,
  ]);
  const rows = found.frames.map((frame, at) => [
    frame,
    ...groups.flatMap(({ id }) => [
      found.counts[id]?.[at] ?? 0,
      found.means[id]?.[at] ?? null,
      found.lows[id]?.[at] ?? null,
      found.highs[id]?.[at] ?? null,
    ]),
  ]);
  return { head: ["frame", ...head], rows };
}

function OfOne(props: OwnProps) {
  const { chart, effect } = props;
  const picked = useStudio((state) => state.particle);
  const found = useOne(chart, picked);
  const told: Told | null = found && {
    faults: faulty(found.fault, false),
    drawn: <OnePlot found={found} effect={effect} powers={chart.powersY} name={chart.of} />,
    rows: () => rowsOfOne(found, chart),
  };
  return <Framed {...props} told={told} unpicked={picked === null} />;
}

function rowsOfOne(found: One, { of }: OwnChart) {
  return { head: ["frame", of], rows: found.frames.map((frame, at) => [frame, found.values[at] ?? null]) };
}

interface FramedProps extends OwnProps {
  told: Told | null;
  empty?: boolean;
  unpicked?: boolean;
}

/** The words of a chart over it, its switches under it, and what can be taken away. */
function Framed({ chart, effect, onChange, onRemove, told, empty, unpicked }: FramedProps) {
  const box = useRef<HTMLElement>(null);
  const units = useUnits();
  const [problem, setProblem] = useState("");
  const line = (part: "of" | "against", label: string) => (
    <span className="inline-flex items-baseline gap-1">
      <Typed
        label={label}
        placeholder="name or formula"
        value={chart[part]}
        fault={told?.faults[part] ?? ""}
        onKeep={(text) => text && onChange({ [part]: text })}
        className="inline-block w-28"
      />
      {units.get(chart[part]) && <span className="text-xs text-soft">{units.get(chart[part])}</span>}
    </span>
  );
  const svg = () => box.current?.querySelector<SVGSVGElement>("svg[role=img]") ?? null;
  const stem = `${effect.name} ${KINDS[chart.kind].title} ${chart.of}`.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
  const take = async (ending: "svg" | "png" | "csv") => {
    const drawn = svg();
    if (!told || !drawn) return;
    try {
      setProblem("");
      if (ending === "svg") save(`${stem}.svg`, new Blob([drawingOf(drawn)], { type: "image/svg+xml" }));
      if (ending === "png") save(`${stem}.png`, await pictureOf(drawn));
      const { head, rows } = told.rows();
      if (ending === "csv") save(`${stem}.csv`, new Blob([csvOf(head, rows)], { type: "text/csv" }));
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  const of = line("of", "What is drawn");
  return (
    <section ref={box} aria-label={KINDS[chart.kind].title} data-chart={chart.kind}>
      <div className="mb-1 flex items-start justify-between gap-1">
        <h3 className="flex flex-wrap items-baseline gap-1.5 font-medium">
          {chart.kind === "spread" && <>How {of} is spread</>}
          {chart.kind === "against" && (
            <>
              {line("against", "What goes up")} against {of}
            </>
          )}
          {chart.kind === "over_time" && <>{of} over time</>}
          {chart.kind === "one" && <>{of} of the picked one</>}
        </h3>
        <IconButton label="Remove this chart" onClick={onRemove}>
          <X className="size-3.5" />
        </IconButton>
      </div>
      {told ? told.drawn : !unpicked && <div className="aspect-[286/190]" />}
      {unpicked ? (
        <p className="text-xs text-soft">Pick a particle on the stage or in the table.</p>
      ) : (
        empty &&
        !told?.faults.of &&
        !told?.faults.where && <p className="text-xs text-soft">There is nobody to draw.</p>
      )}
      {chart.kind !== "one" && (
        <Typed
          label="Only those for whom"
          placeholder="only those for whom…"
          value={chart.where}
          fault={told?.faults.where ?? ""}
          onKeep={(where) => onChange({ where })}
          className="mt-1 block"
        />
      )}
      <div className="mt-1 flex items-center gap-1 text-xs">
        <span className="text-soft">powers of ten</span>
        {(chart.kind === "spread" || chart.kind === "against") && (
          <Powers on={chart.powersX} onClick={() => onChange({ powersX: !chart.powersX })}>
            across
          </Powers>
        )}
        <Powers on={chart.powersY} onClick={() => onChange({ powersY: !chart.powersY })}>
          up
        </Powers>
        <span className="flex-1" />
        <Menu
          trigger={
            <button type="button" className="h-6 rounded px-1 text-soft hover:text-ice" disabled={!told?.drawn}>
              Take away
            </button>
          }
          entries={[
            { label: "Save as SVG", onSelect: () => void take("svg") },
            { label: "Save as PNG", onSelect: () => void take("png") },
            { label: "Save as CSV", onSelect: () => void take("csv") },
          ]}
        />
      </div>
      {problem && (
        <p role="alert" className="text-xs text-ember">
          {problem}
        </p>
      )}
    </section>
  );
}

function Powers({ on, children, onClick }: { on: boolean; children: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={`Powers of ten, ${children}`}
      onClick={onClick}
      className={`h-6 rounded px-1 ${on ? "text-brass" : "text-soft hover:text-ice"}`}
    >
      {children}
    </button>
  );
}
