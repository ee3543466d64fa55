/** What a curve is drawn of: its outline, the handles of an eased piece, the colours between stops. */

import type { Key } from "@/state/keys";
import { list } from "./KeyRow";
import { toHex } from "./colours";
import { plain } from "./numbers";

export const written = (at: number, along: "time" | "share"): string =>
  (along === "time" ? `${plain(at)} s` : `${plain(at * 100)} %`).replace("−", "-");

export function spanOf(keys: readonly Key[], low: number | null, high: number | null): [number, number] {
  const numbers = keys.flatMap((key) => list(key.value));
  for (const [k, key] of keys.entries()) {
    const next = keys[k + 1];
    if (Array.isArray(key.ease) && next) {
      const ease = key.ease;
      list(key.value).forEach((start, part) =>
        numbers.push(...[1, 3].map((at) => start + (list(next.value)[part]! - start) * ease[at]!)),
      );
    }
  }
  let [least, most] = [Math.min(...numbers), Math.max(...numbers)];
  if (most - least < 1e-9)
    [least, most] = [least - Math.max(0.5, Math.abs(least) * 0.5), most + Math.max(0.5, Math.abs(most) * 0.5)];
  const room = (most - least) * 0.12;
  return [
    low !== null && least - room < low && least >= low ? low : least - room,
    high !== null && most + room > high && most <= high ? high : most + room,
  ];
}

/** The curve as an SVG path: an eased piece is exactly a cubic Bézier curve of its own handles. */
export function outline(
  keys: readonly Key[],
  part: number,
  x: (at: number) => number,
  y: (value: number) => number,
  left: number,
  right: number,
): string {
  const value = (key: Key) => list(key.value)[part]!;
  let path = `M ${Math.min(left, x(keys[0]!.at))} ${y(value(keys[0]!))} L ${x(keys[0]!.at)} ${y(value(keys[0]!))}`;
  keys.slice(0, -1).forEach((key, k) => {
    const next = keys[k + 1]!;
    const [x0, y0, x1, y1] = [x(key.at), y(value(key)), x(next.at), y(value(next))];
    if (key.ease === "hold") path += ` L ${x1} ${y0} L ${x1} ${y1}`;
    else if (key.ease === "linear") path += ` L ${x1} ${y1}`;
    else {
      const [a, b, c, d] = key.ease;
      const bent = [x0 + (x1 - x0) * a, y0 + (y1 - y0) * b, x0 + (x1 - x0) * c, y0 + (y1 - y0) * d];
      path += ` C ${bent.join(" ")} ${x1} ${y1}`;
    }
  });
  const last = keys.at(-1)!;
  return `${path} L ${Math.max(right, x(last.at))} ${y(value(last))}`;
}

interface HandleProps {
  start: Key;
  end: Key;
  x: (at: number) => number;
  y: (value: number) => number;
  onBegin: (event: React.PointerEvent, part: number) => void;
}

export function Handles({ start, end, x, y, onBegin }: HandleProps) {
  const ease = start.ease as number[];
  const [from, to] = [list(start.value)[0]!, list(end.value)[0]!];
  const at = (part: number) =>
    [x(start.at + (end.at - start.at) * ease[part * 2]!), y(from + (to - from) * ease[part * 2 + 1]!)] as const;
  const anchors = [
    [x(start.at), y(from)],
    [x(end.at), y(to)],
  ] as const;
  return (
    <>
      {[0, 1].map((part) => (
        <g key={part}>
          <line
            x1={anchors[part]![0]}
            y1={anchors[part]![1]}
            x2={at(part)[0]}
            y2={at(part)[1]}
            stroke="var(--brass)"
            strokeWidth={1}
            opacity={0.6}
          />
          <rect
            x={at(part)[0] - 3.5}
            y={at(part)[1] - 3.5}
            width={7}
            height={7}
            rx={2}
            fill="var(--brass)"
            className="cursor-grab"
            data-handle={part}
            onPointerDown={(event) => onBegin(event, part)}
          />
        </g>
      ))}
    </>
  );
}

export function Gradient({
  keys,
  x,
  top,
  bottom,
  left,
  right,
}: {
  keys: Key[];
  x: (at: number) => number;
  top: number;
  bottom: number;
  left: number;
  right: number;
}) {
  const stops = keys.flatMap((key, k) => {
    const at = ((x(key.at) - left) / (right - left)) * 100;
    const held =
      key.ease === "hold" && keys[k + 1]
        ? [`${toHex(list(key.value))} ${((x(keys[k + 1]!.at) - left) / (right - left)) * 100}%`]
        : [];
    return [`${toHex(list(key.value))} ${at}%`, ...held];
  });
  return (
    <foreignObject x={left} y={top} width={Math.max(1, right - left)} height={bottom - top}>
      <div
        className="h-full w-full rounded border border-line"
        style={{
          background: `linear-gradient(to right, ${stops.join(", ")}${stops.length === 1 ? `, ${stops[0]}` : ""})`,
        }}
      />
    </foreignObject>
  );
}
