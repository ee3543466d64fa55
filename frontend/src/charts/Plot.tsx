/** The frame of a chart: its axes, linear or by powers of ten, and what is drawn between them. */

import { scaleLinear, scaleLog } from "d3-scale";
import type { PointerEvent, ReactNode } from "react";

export const WIDTH = 286;
export const HIGH = 168;
const LEFT = 46;
const RIGHT = 6;
const TOP = 8;
const BOTTOM = 18;

/** Names of axes are read before whatever lies under them. */
const NAME = { fontSize: 12, fill: "var(--soft)", stroke: "var(--panel)", strokeWidth: 3, paintOrder: "stroke" };

/** Where a value lies on an axis, and the other way round; `ticks` are the values that are written. */
export interface Axis {
  (value: number): number;
  invert: (place: number) => number;
  ticks: number[];
}

/** An axis over some values; what is not positive is not on one of powers of ten. */
export function axis(low: number, high: number, powers: boolean, range: [number, number], wanted: number): Axis {
  if (powers && high > 0) {
    const from = low > 0 ? low : high / 1000;
    const scale = scaleLog([from, Math.max(high, from * 10)], range);
    const tens = scale.ticks().filter((tick) => Number.isInteger(Math.log10(tick) + 1e-12));
    const every = Math.max(1, Math.ceil(tens.length / wanted));
    const ticks = tens.length > 1 ? tens.filter((_tick, place) => place % every === 0) : scale.ticks(3);
    return Object.assign((value: number) => scale(Math.max(value, from)), { invert: scale.invert.bind(scale), ticks });
  }
  const [from, to] = high > low ? [low, high] : [low - 0.5, high + 0.5];
  const scale = scaleLinear([from, to], range);
  return Object.assign((value: number) => scale(value), {
    invert: scale.invert.bind(scale),
    ticks: scale.ticks(wanted),
  });
}

export const across = (low: number, high: number, powers = false): Axis =>
  axis(low, high, powers, [LEFT, WIDTH - RIGHT], 4);
export const upward = (low: number, high: number, powers = false): Axis =>
  axis(low, high, powers, [HIGH - BOTTOM, TOP], 4);
export const GROUND = HIGH - BOTTOM;

interface Props {
  x: Axis;
  y: Axis;
  label: string;
  children: ReactNode;
  /** Told where in the chart the pointer is, by the value across, and whether its button is down. */
  onMove?: (x: number, y: number, pressed: boolean) => void;
  onLeave?: () => void;
  /** What is written at the end of each axis. */
  names?: { x?: string; y?: string };
  cursor?: string;
}

/** A chart; it is also what is saved as a picture, so that all it needs is written in it. */
export function Plot({ x, y, label, children, onMove, onLeave, names, cursor }: Props) {
  const told = (event: PointerEvent<SVGSVGElement>, pressed: boolean) => {
    const box = event.currentTarget.getBoundingClientRect();
    const [across, up] = [event.clientX - box.left, event.clientY - box.top];
    onMove?.(x.invert((across / box.width) * WIDTH), y.invert((up / box.height) * HIGH), pressed);
  };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HIGH}`}
      className={`w-full touch-none ${cursor ?? ""}`}
      role="img"
      aria-label={label}
      onPointerDown={(event) => told(event, true)}
      onPointerMove={(event) => told(event, event.buttons === 1)}
      onPointerLeave={onLeave}
    >
      {y.ticks.map((tick) => (
        <g key={tick}>
          <line x1={LEFT} x2={WIDTH - RIGHT} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={0.7} />
          <text x={LEFT - 5} y={y(tick) + 4} textAnchor="end" fontSize={12} fill="var(--soft)" className="tabular">
            {brief(tick)}
          </text>
        </g>
      ))}
      {x.ticks.map((tick) => (
        <text
          key={tick}
          x={x(tick)}
          y={HIGH - 4}
          textAnchor={x(tick) > WIDTH - RIGHT - 12 ? "end" : "middle"}
          fontSize={12}
          fill="var(--soft)"
          className="tabular"
        >
          {brief(tick)}
        </text>
      ))}
      {children}
      {names?.y && (
        <text x={LEFT + 4} y={TOP + 9} {...NAME}>
          {names.y}
        </text>
      )}
      {names?.x && (
        <text x={WIDTH - RIGHT} y={GROUND - 5} textAnchor="end" {...NAME}>
          {names.x}
        </text>
      )}
    </svg>
  );
}

/** A number on an axis, as short as can be. */
export function brief(value: number): string {
  const size = Math.abs(value);
  if (size >= 1e6) return `${Number((value / 1e6).toPrecision(3))} M`.replace("-", "−");
  if (size >= 1e4) return `${Number((value / 1e3).toPrecision(3))} k`.replace("-", "−");
  if (size > 0 && size < 1e-3) return value.toExponential(0).replace("e-", "e−").replace("-", "−");
  return String(Number(value.toPrecision(4))).replace("-", "−");
}
