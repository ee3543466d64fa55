/** The distribution of a quantity with its thresholds as lines to drag: choosing a number takes one drag instead of guessing. */

import { useEffect, useRef, useState } from "react";
import { answered, api, type Histogram } from "@/api/client";
import { addressOf, withValue, type Node, type Path } from "@/state/document";
import { count, counted, plain } from "@/ui/numbers";
import { useRuleAround, useScore } from "./context";
import { useDistances, useSearch } from "./searching";
import { useRun, useSession, useStudio } from "@/state/use";

interface Props {
  /** A condition that compares its quantity with one threshold, or with two. */
  condition: Node;
  path: Path;
  unit: string;
}

const WIDTH = 356;
const HEIGHT = 84;

/** The fields that a condition holds its quantity against. */
const NAMES = ["threshold", "low", "high"] as const;

export function Distribution({ condition, path, unit }: Props) {
  const session = useSession();
  const { who, trigger } = useRuleAround();
  const trial = useRun((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const [histogram, setHistogram] = useState<Histogram | null>(null);
  const [problem, setProblem] = useState("");
  const quantity = condition.quantity as Node;
  const atContacts = trigger === "contact" && quantity.kind === "impact_speed";
  const ready = trial && (atContacts ? trial.computed > 0 : frame < trial.computed);
  // A line is being dragged: what it lies on stays until it is let go, though the run of a value on the way has nobody yet.
  const trying = useStudio((state) => state.document !== state.committed);
  const key = JSON.stringify([trial?.id, atContacts ? trial?.computed : frame, condition, who, ready, trying]);

  useEffect(() => {
    if (!trial || !ready) return;
    let current = true;
    const { document } = session.state;
    const address = document ? addressOf(document, path).split("/") : [];
    const body = { quantity, who, condition, path: address, contacts: atContacts } as never;
    const asked = api.POST("/api/trials/{trial_id}/frames/{number}/histogram", {
      params: { path: { trial_id: trial.id, number: Math.min(frame, trial.computed - 1) } },
      body,
    });
    answered(asked).then(
      (found) => {
        if (!current) return;
        setHistogram((before) => (trying && before && found.total === 0 ? before : found));
        setProblem("");
      },
      (error: Error) => current && !trying && setProblem(error.message),
    );
    return () => {
      current = false;
    };
    // One key stands for everything that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);

  if (problem) return <p className="mb-2 text-xs text-ember">{problem}</p>;
  if (!histogram)
    return (
      <p role="status" className="mb-2 h-[120px] text-xs text-soft">
        {ready
          ? "Reading the distribution…"
          : atContacts
            ? "The distribution of what was touched comes with the first frames that are computed."
            : `The distribution comes when frame ${frame} is computed: ${counted(trial?.computed ?? 0, "frame")} so far.`}
      </p>
    );
  if (histogram.total === 0) {
    return (
      <p className="mb-3 text-xs text-soft">
        {atContacts
          ? "Nobody in this group has touched anything yet."
          : `Nobody is in this group at frame ${frame}; move the playhead to where there is somebody.`}
      </p>
    );
  }
  const names = NAMES.filter((name) => condition[name]);
  const lines = names.map((name, index): Line => {
    const amount = condition[name] as Node;
    const range = histogram.thresholds[index] ?? [0, 0];
    return { name, ...spanOf(amount, [range[0]!, range[1]!]) };
  });
  const comparison = String(condition.comparison ?? "between");
  const passes = (from: number, to: number): boolean => {
    if (comparison === "between") return from >= lines[0]!.at && to <= lines[1]!.at;
    return comparison === "above" || comparison === "at_least"
      ? from >= lines[0]!.at
      : comparison === "equal"
        ? from <= lines[0]!.at && to >= lines[0]!.at
        : to <= lines[0]!.at;
  };
  return (
    <Bars
      histogram={histogram}
      lines={lines}
      passes={passes}
      back={backOf(condition, lines)}
      path={path}
      unit={unit}
      label={`Threshold on the distribution of ${String(quantity.kind).replaceAll("_", " ")}`}
      among={atContacts ? "impacts in the run" : `at frame ${frame}`}
    />
  );
}

/** The thresholds at which a comparison lets go, where those lie further back. */
function backOf(condition: Node, lines: readonly Line[]): number[] {
  const margin = Number(condition.margin ?? 0);
  if (!(margin > 0)) return [];
  return lines.map(({ name, at }) => {
    const down = name === "low" || ["above", "at_least"].includes(String(condition.comparison));
    return at + (down ? -margin : margin);
  });
}

interface Line {
  /** The field of the part at the path whose amount it is. */
  name: string;
  draggable: boolean;
  at: number;
  span: [number, number];
}

/** Where an amount lies on an axis: what is being dragged runs ahead of the server, which tells `range` of all others. */
function spanOf(amount: Node, range: [number, number]): Omit<Line, "name"> {
  const draggable = (amount.kind === "fixed" || amount.kind === "spread") && typeof amount.value === "number";
  const spread = amount.kind === "spread" ? Number(amount.spread) : 0;
  const span: [number, number] = draggable
    ? [Number(amount.value) - spread, Number(amount.value) + spread]
    : [range[0], range[1]];
  return { draggable, at: (span[0] + span[1]) / 2, span };
}

/** How far away the nearest of each seeker is, with the reach of their neighbourhood as a line to drag. */
export function ReachDistribution({ hood, path }: { hood: Node; path: Path }) {
  const frame = useStudio((state) => state.frame);
  const histogram = useDistances(String(hood.id));
  const search = useSearch(String(hood.id));
  if (!histogram || !search) return <div className="mb-2 h-[120px] text-xs text-soft">Reading the distances…</div>;
  if (histogram.total === 0)
    return <p className="mb-3 text-xs text-soft">{search.text || `Nobody looks at frame ${frame}.`}</p>;
  const line = { name: "reach", ...spanOf(hood.reach as Node, [search.reach[0]!, search.reach[1]!]) };
  return (
    <>
      <p className="mb-1 text-xs text-soft">How far away the nearest of each is:</p>
      <Bars
        histogram={histogram}
        lines={[line]}
        passes={(_from, to) => to <= line.at}
        path={path}
        unit="m"
        label="Reach on the distribution of distances to the nearest"
        among={`at frame ${frame}`}
      />
    </>
  );
}

interface BarsProps {
  histogram: Histogram;
  lines: Line[];
  /** Whether what lies between two edges is caught. */
  passes: (from: number, to: number) => boolean;
  /** Where what has begun lets go, if that is elsewhere than where it begins. */
  back?: readonly number[];
  /** The part of the document that has the fields of the lines. */
  path: Path;
  unit: string;
  label: string;
  /** What was counted, after "12 of 400". */
  among: string;
}

const NOWHERE: readonly number[] = [];

/** A histogram with lines to drag on it. */
function Bars({ histogram, lines, passes, back = NOWHERE, path, unit, label, among }: BarsProps) {
  const session = useSession();
  const { catalogue } = useScore();
  const drawing = useRef<SVGSVGElement>(null);
  const dragging = useRef<string | null>(null);
  // What the axis spans depends on where the lines lie: while one is dragged it stays, or the line would slide away from the pointer.
  const [held, setHeld] = useState<readonly [number, number] | null>(null);
  // Taken away under the pointer, it is never told that the pointer let go: what was tried is kept.
  useEffect(() => () => void (dragging.current && session.settle()), [session]);
  const [low, high] = held ?? [histogram.edges[0]!, histogram.edges.at(-1)!];
  // A bar that towers above all others is cut, with its number beside it, so that the rest can be seen.
  const [most = 1, second = 0] = [...histogram.counts].sort((a, b) => b - a);
  const cut = second > 0 && most > 4 * second;
  const top = cut ? second * 1.8 : Math.max(most, 1);
  const x = (value: number) => Math.max(0, Math.min(WIDTH, ((value - low) / (high - low || 1)) * WIDTH));
  const movable = lines.filter((line) => line.draggable);
  const valueAt = (clientX: number): number | null => {
    const box = drawing.current?.getBoundingClientRect();
    return box ? low + Math.max(0, Math.min(1, (clientX - box.left) / box.width)) * (high - low) : null;
  };
  /** Between two lines the nearer one is taken; it stops at the other. */
  const dragTo = (clientX: number, begin: boolean) => {
    const value = valueAt(clientX);
    if (value === null || movable.length === 0) return;
    if (begin) dragging.current = [...movable].sort((a, b) => Math.abs(a.at - value) - Math.abs(b.at - value))[0]!.name;
    if (dragging.current) put(dragging.current, value, (inner, next) => session.tryValue(inner, next));
  };
  const put = (name: string, value: number, set: (path: Path, value: number) => void) => {
    const other = lines.find((line) => line.name !== name);
    const held = !other ? value : name === "low" ? Math.min(value, other.at) : Math.max(value, other.at);
    set([...path, name, "value"], Number(held.toPrecision(3)));
  };
  return (
    <figure className="mb-3">
      <svg
        ref={drawing}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className={`w-full touch-none rounded bg-stage ${movable.length ? "cursor-ew-resize" : ""}`}
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuenow={lines[0]!.at}
        aria-valuemin={low}
        aria-valuemax={high}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          if (movable.length) setHeld([low, high]);
          dragTo(event.clientX, true);
        }}
        onPointerMove={(event) => event.buttons === 1 && dragTo(event.clientX, false)}
        onLostPointerCapture={() => {
          dragging.current = null;
          setHeld(null);
          session.settle();
        }}
        onKeyDown={(event) => {
          const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
          const line = event.shiftKey ? movable.at(-1) : movable[0];
          if (step === 0 || !line) return;
          event.preventDefault();
          put(line.name, line.at + (step * (high - low)) / 100, (inner, value) => {
            const { document } = session.state;
            if (document) session.set({ document: withValue(document, inner, value) });
          });
          session.settle();
        }}
      >
        {histogram.counts.map((number, index) => {
          const left = x(histogram.edges[index]!);
          const width = Math.max(1, x(histogram.edges[index + 1]!) - left - 1);
          const inside = passes(histogram.edges[index]!, histogram.edges[index + 1]!);
          const height = number ? Math.max(2, Math.min(1, number / top) * (HEIGHT - 10)) : 0;
          const fill = inside ? "var(--ice)" : "var(--line)";
          if (number <= top)
            return <rect key={index} x={left} y={HEIGHT - height} width={width} height={height} fill={fill} />;
          const end = left > WIDTH / 2;
          return (
            <g key={index}>
              <rect x={left} y={10} width={width} height={6} fill={fill} />
              <rect x={left} y={19} width={width} height={HEIGHT - 19} fill={fill} />
              <text
                x={end ? left - 4 : left + width + 4}
                y={17}
                textAnchor={end ? "end" : "start"}
                fontSize={12}
                fill="var(--soft)"
                className="tabular"
              >
                {count(number)}
              </text>
            </g>
          );
        })}
        {back.map((at, index) => (
          <line
            key={index}
            x1={x(at)}
            x2={x(at)}
            y1={0}
            y2={HEIGHT}
            stroke="var(--text)"
            strokeDasharray="3 3"
            opacity={0.7}
          />
        ))}
        {lines.map(({ name, at, span }) => (
          <g key={name}>
            {span[1] > span[0] && (
              <rect
                x={x(span[0])}
                y={0}
                width={Math.max(1, x(span[1]) - x(span[0]))}
                height={HEIGHT}
                fill="var(--text)"
                opacity={0.12}
              />
            )}
            <line x1={x(at)} x2={x(at)} y1={0} y2={HEIGHT} stroke="var(--text)" strokeWidth={1.5} />
          </g>
        ))}
      </svg>
      <figcaption className="mt-1 flex justify-between text-xs text-soft">
        <span className="tabular">{plain(Math.abs(low) < (high - low) * 1e-3 ? 0 : low)}</span>
        <span>
          {histogram.passing !== null && (
            <>
              <b className="tabular font-medium text-text">{count(histogram.passing ?? 0)}</b> of{" "}
              <span className="tabular">{count(histogram.total)}</span> {among}
            </>
          )}
        </span>
        <span className="tabular">
          {plain(high)} {catalogue.units[unit] ?? ""}
        </span>
      </figcaption>
      {movable.length < lines.length && (
        <p className="mt-1 text-xs text-soft">The band is what it takes over these particles.</p>
      )}
    </figure>
  );
}
