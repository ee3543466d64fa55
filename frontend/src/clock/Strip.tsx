/** The strip that is the population: a stacked area of groups over time, births and deaths as ticks, scrubbed on directly.
 * While it plays only the playhead over it moves. */

import { useEffect, useRef, useState } from "react";
import { lastFrame, type FrameStats } from "@/state/run";
import type { Group } from "@/state/document";
import { useForecast } from "@/state/forecast";
import { useBeside, useNow, usePreferences, useRun, useSession, useStudio } from "@/state/use";
import { count } from "@/ui/numbers";
import { cx } from "@/ui/cx";

const NONE: readonly number[] = [];
const TICKS = 10;
const STEPS: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1, PageUp: 10, PageDown: -10 };

export function Strip() {
  const session = useSession();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [over, setOver] = useState<number | null>(null);
  const stats = useRun((state) => state.stats);
  const stale = useRun((state) => state.stale);
  const computing = useRun((state) => state.trial?.state === "computing");
  const provisional = useRun((state) => state.trial?.provisional_from ?? null);
  const range = useStudio((state) => state.range);
  const groups = useStudio((state) => state.document.groups);
  const last = useStudio((state) => lastFrame(state.document));
  const tone = usePreferences((state) => state.tone);
  const forecast = useForecast()?.totals ?? NONE;
  const beside = useBeside((state) => state.stats);

  useEffect(() => {
    const node = canvas.current?.parentElement;
    if (!node) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(node);
    return () => observer.disconnect();
  }, []);

  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (context && size.width) {
      draw(context, size.width, size.height, {
        stats,
        stale,
        range,
        groups,
        last,
        computing,
        provisional,
        forecast,
        beside,
      });
    }
    // The tone decides the colours.
  }, [size, stats, stale, range, groups, last, computing, provisional, forecast, beside, tone]);

  const frameAt = (clientX: number): number => {
    const box = canvas.current!.getBoundingClientRect();
    return Math.round(((clientX - box.left) / box.width) * last);
  };
  return (
    <>
      <canvas
        ref={canvas}
        data-testid="strip"
        data-computed={stats.length}
        aria-hidden
        className="absolute inset-0 h-full w-full cursor-col-resize touch-none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          session.playing.pause();
          session.seek(frameAt(event.clientX));
        }}
        onPointerMove={(event) => {
          const at = frameAt(event.clientX);
          setOver(Math.max(0, Math.min(last, at)));
          if (event.buttons === 1) session.seek(at);
        }}
        onPointerLeave={() => setOver(null)}
      />
      <Playhead groups={groups} last={last} />
      {over !== null && stats[over] && <Under told={stats[over]} frame={over} last={last} groups={groups} />}
    </>
  );
}

/** Where the playhead is: a slider by the keyboard, a line for the eye. */
function Playhead({ groups, last }: { groups: readonly Group[]; last: number }) {
  const session = useSession();
  const frame = useStudio((state) => state.frame);
  const told = useNow((now) => groups.map((group) => `${now?.population[group.id] ?? 0} ${group.label}`).join(", "));
  return (
    <div
      data-testid="playhead"
      role="slider"
      tabIndex={0}
      aria-label="Time: the population of each group. Arrow keys step."
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={frame}
      aria-valuetext={`frame ${frame}: ${told}`}
      className="pointer-events-none absolute inset-0"
      onKeyDown={(event) => {
        const step = STEPS[event.key];
        if (!step) return;
        event.preventDefault();
        event.stopPropagation();
        session.seek(frame + step);
      }}
    >
      <div className="absolute inset-y-0 -ml-px w-0.5 bg-brass" style={{ left: `${(frame / last) * 100}%` }}>
        <div className="absolute -left-1 top-0 border-x-[5px] border-t-[7px] border-x-transparent border-t-brass" />
      </div>
    </div>
  );
}

interface UnderProps {
  told: FrameStats;
  frame: number;
  last: number;
  groups: readonly Group[];
}

/** The numbers of the frame under the pointer. */
function Under({ told, frame, last, groups }: UnderProps) {
  return (
    <div
      className={cx(
        "pointer-events-none absolute bottom-full z-10 mb-1 -translate-x-1/2 whitespace-nowrap",
        "rounded border border-line bg-raised px-2 py-1 text-xs",
      )}
      style={{ left: `clamp(90px, ${(frame / last) * 100}%, calc(100% - 90px))` }}
    >
      <div className="tabular text-brass">
        frame {frame} · {told.time.toFixed(2)} s
      </div>
      {groups.map((group) => (
        <div key={group.id} className="flex items-center justify-between gap-3">
          <span>
            <span className="mr-1 inline-block size-2 rounded-full" style={{ background: group.color }} />
            {group.label}
          </span>
          <span className="tabular">{count(told.population[group.id] ?? 0)}</span>
        </div>
      ))}
      <div className="text-soft">
        {count(told.births)} born · {count(told.deaths)} left
      </div>
    </div>
  );
}

interface Drawn {
  stats: FrameStats[];
  /** What the run before had: drawn faintly where the present one has not got to. */
  stale: FrameStats[];
  range: [number, number] | null;
  groups: readonly Group[];
  last: number;
  computing: boolean;
  /** From this frame on the run only carries on from another one. */
  provisional: number | null;
  /** How many there will be in all, by frame. */
  forecast: readonly number[];
  /** What the run with the other value of a dial has, where two are compared. */
  beside: FrameStats[] | null;
}

function draw(context: CanvasRenderingContext2D, width: number, height: number, drawn: Drawn): void {
  const { stats, stale, range, groups, last, computing, provisional, forecast } = drawn;
  const beside = drawn.beside?.slice(0, last + 1) ?? [];
  const ratio = window.devicePixelRatio || 1;
  context.canvas.width = width * ratio;
  context.canvas.height = height * ratio;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  const tokens = getComputedStyle(window.document.documentElement);
  const token = (name: string) => tokens.getPropertyValue(name).trim();
  context.fillStyle = token("--stage");
  context.fillRect(0, 0, width, height);
  const x = (number: number) => (number / last) * width;
  const base = height - TICKS;
  const waiting = stats.length <= last ? stale.slice(0, last + 1) : [];
  const most = Math.max(
    1,
    ...stats.map((entry) => entry.count),
    ...waiting.map((entry) => entry.count),
    ...forecast,
    ...beside.map((entry) => entry.count),
  );
  const y = (value: number) => base - (value / most) * (base - 6);
  if (waiting.length > stats.length) areas(context, waiting.slice(Math.max(0, stats.length - 1)), groups, x, y, 0.35);
  if (forecast.length > 1) expected(context, forecast, x, y, token("--text"));
  areas(context, stats, groups, x, y, 0.95);
  if (beside.length > 1) other(context, beside, x, y, token("--ice"), token("--stage"));
  ticks(context, stats, x, base, token("--soft"));
  if (stats.length <= last) hatch(context, x(Math.max(0, stats.length - 1)), width, height, token("--line"), computing);
  if (provisional !== null) hatch(context, x(provisional), width, height, token("--brass"), true);
  if (!range) return;
  context.fillStyle = token("--stage");
  context.globalAlpha = 0.55;
  context.fillRect(0, 0, x(range[0]), height);
  context.fillRect(x(range[1]), 0, width - x(range[1]), height);
  context.globalAlpha = 1;
  context.fillStyle = token("--brass");
  for (const end of range) context.fillRect(x(end) - 0.5, base, 1, TICKS);
  context.fillRect(x(range[0]), height - 2, x(range[1]) - x(range[0]), 2);
}

type Across = (frame: number) => number;

/** Populations stacked from the bottom, the first group lowest. */
function areas(
  context: CanvasRenderingContext2D,
  stats: FrameStats[],
  groups: readonly Group[],
  x: Across,
  y: (value: number) => number,
  alpha: number,
): void {
  const below = stats.map(() => 0);
  groups.forEach(({ id, color }) => {
    context.beginPath();
    stats.forEach((entry, index) => context.lineTo(x(entry.frame), y(below[index]!)));
    for (let index = stats.length - 1; index >= 0; index--) {
      below[index]! += stats[index]!.population[id] ?? 0;
      context.lineTo(x(stats[index]!.frame), y(below[index]!));
    }
    context.closePath();
    context.globalAlpha = alpha * 0.45;
    context.fillStyle = color;
    context.fill();
    // A quiet fill under a clear line: one steady group is no slab of colour.
    context.beginPath();
    stats.forEach((entry, index) => context.lineTo(x(entry.frame), y(below[index]!)));
    context.globalAlpha = alpha;
    context.strokeStyle = color;
    context.lineWidth = 1.5;
    context.stroke();
    context.globalAlpha = 1;
  });
}

/** What is expected, pale behind what there is: an outline, lightly filled. */
function expected(
  context: CanvasRenderingContext2D,
  totals: readonly number[],
  x: Across,
  y: (value: number) => number,
  color: string,
): void {
  context.beginPath();
  totals.forEach((total, frame) => context.lineTo(x(frame), y(total)));
  context.strokeStyle = context.fillStyle = color;
  context.lineWidth = 1;
  context.globalAlpha = 0.55;
  context.setLineDash([4, 3]);
  context.stroke();
  context.setLineDash([]);
  context.lineTo(x(totals.length - 1), y(0));
  context.lineTo(x(0), y(0));
  context.globalAlpha = 0.09;
  context.fill();
  context.globalAlpha = 1;
}

/** How many there are with the other value: a line, with a dark edge that keeps it apart from the areas. */
function other(
  context: CanvasRenderingContext2D,
  stats: FrameStats[],
  x: Across,
  y: (value: number) => number,
  color: string,
  edge: string,
): void {
  context.beginPath();
  stats.forEach((entry) => context.lineTo(x(entry.frame), y(entry.count)));
  for (const [style, width] of [
    [edge, 4],
    [color, 1.8],
  ] as const) {
    context.strokeStyle = style;
    context.lineWidth = width;
    context.stroke();
  }
}

/** Births as ticks down from the base line, deaths further below, each as strong as many there are. */
function ticks(context: CanvasRenderingContext2D, stats: FrameStats[], x: Across, base: number, color: string): void {
  const most = Math.max(1, ...stats.map((entry) => Math.max(entry.births, entry.deaths)));
  context.fillStyle = color;
  stats.forEach((entry, index) => {
    context.globalAlpha = entry.births ? 0.25 + 0.75 * Math.sqrt(entry.births / most) : 0;
    context.fillRect(x(index) - 0.5, base + 1, 1, 4);
    context.globalAlpha = entry.deaths ? 0.25 + 0.75 * Math.sqrt(entry.deaths / most) : 0;
    context.fillRect(x(index) - 0.5, base + 6, 1, 4);
  });
  context.globalAlpha = 1;
}

/** Frames that are not computed. */
function hatch(
  context: CanvasRenderingContext2D,
  from: number,
  width: number,
  height: number,
  color: string,
  strong: boolean,
): void {
  context.save();
  context.beginPath();
  context.rect(from, 0, width - from, height);
  context.clip();
  context.strokeStyle = color;
  context.globalAlpha = strong ? 0.9 : 0.5;
  context.lineWidth = 1;
  for (let at = from - height; at < width; at += 8) {
    context.beginPath();
    context.moveTo(at, height);
    context.lineTo(at + height, 0);
    context.stroke();
  }
  context.restore();
}
