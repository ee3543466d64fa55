/** A curve through keys, to be drawn: drag keys and the handles of an eased piece, double-click to add, Delete to remove. */

import { useEffect, useRef, useState } from "react";
import { movedKey, SMOOTH, withKey, type Ease, type Key, type KeyValue } from "@/state/keys";
import { plain, toHex, fromHex } from "./numbers";
import { worth } from "@/ui/typed";

interface Props {
  keys: Key[];
  /** What the curve runs over, from left to right. */
  from: number;
  to: number;
  value: "number" | "vector" | "color";
  onTry: (keys: Key[]) => void;
  onCommit: (keys: Key[]) => void;
  height: number;
  /** Limits of what may be given. */
  low?: number | null;
  high?: number | null;
  unit: string;
  /** The unit's code, by which typed values are read: 25f where seconds are meant. */
  code?: string;
  /** How places along the curve are written: seconds, or a share of life. */
  along: "time" | "share";
  framesPerSecond: number;
  playhead?: number;
  /** Room left and right of the curve, so that it lines up with the strip above. */
  margin?: number;
}

const TONES = ["var(--ice)", "#d9a3b4", "#9fc59a"];
const AXES = ["x", "y", "z"];
const list = (value: KeyValue): number[] => (Array.isArray(value) ? value : [value]);

interface Drag {
  kind: "key" | "handle";
  index: number;
  part: number;
}

export function CurveGraph(props: Props) {
  const { keys, from, to, value, onTry, onCommit, height, unit, along, framesPerSecond, playhead, margin = 8 } = props;
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(300);
  const [picked, setPicked] = useState(0);
  const [drag, setDrag] = useState<Drag | null>(null);
  const [frozen, setFrozen] = useState<[number, number] | null>(null);
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  }, [keys]);
  useEffect(() => {
    const node = box.current;
    if (!node) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    observer.observe(node);
    return () => observer.disconnect();
  }, []);
  const index = Math.min(picked, keys.length - 1);
  const chosen = keys[index]!;
  const [bottom, top] = frozen ?? spanOf(keys, props.low ?? null, props.high ?? null);
  const inner = { top: 10, bottom: height - 16 };
  const x = (at: number) => margin + ((at - from) / Math.max(1e-9, to - from)) * (width - 2 * margin);
  const y = (number: number) =>
    inner.bottom - ((number - bottom) / Math.max(1e-12, top - bottom)) * (inner.bottom - inner.top);
  const atX = (px: number) => from + ((px - margin) / Math.max(1, width - 2 * margin)) * (to - from);
  const atY = (py: number) => bottom + ((inner.bottom - py) / (inner.bottom - inner.top)) * (top - bottom);
  const clamp = (number: number) => Math.min(props.high ?? Infinity, Math.max(props.low ?? -Infinity, number));
  const snap = (at: number) => (along === "time" ? Math.round(at * framesPerSecond) / framesPerSecond : at);
  const graded = value === "color";

  const place = (event: { clientX: number; clientY: number }) => {
    const frame = box.current!.getBoundingClientRect();
    return { px: event.clientX - frame.left, py: event.clientY - frame.top };
  };
  const move = (event: React.PointerEvent) => {
    if (!drag) return;
    const { px, py } = place(event);
    const key = keys[drag.index]!;
    if (drag.kind === "key") {
      const at = event.shiftKey ? key.at : snap(atX(px));
      const parts = list(key.value).map((number, part) =>
        graded || part !== drag.part ? number : Number(clamp(atY(py)).toPrecision(5)),
      );
      onTry(
        movedKey(
          keys,
          drag.index,
          at,
          Array.isArray(key.value) ? parts : parts[0]!,
          Math.min(from, keys[0]!.at),
          along === "share" ? 1 : Infinity,
        ),
      );
    } else {
      const next = keys[drag.index + 1]!;
      const [start, end] = [list(key.value)[0]!, list(next.value)[0]!];
      const share = Math.min(1, Math.max(0, (atX(px) - key.at) / (next.at - key.at)));
      const rise = Math.abs(end - start) < 1e-9 ? drag.part : (atY(py) - start) / (end - start);
      const ease = [...(key.ease as number[])] as [number, number, number, number];
      ease[drag.part * 2] = Number(share.toFixed(3));
      ease[drag.part * 2 + 1] = Number(Math.min(3, Math.max(-2, rise)).toFixed(3));
      onTry(keys.map((entry, k) => (k === drag.index ? { ...entry, ease } : entry)));
    }
  };
  const begin = (event: React.PointerEvent, next: Drag) => {
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    setPicked(next.index);
    setFrozen([bottom, top]);
    setDrag(next);
  };
  const end = () => {
    if (!drag) return;
    setDrag(null);
    setFrozen(null);
    onCommit(latest.current);
  };
  const addAt = (event: React.MouseEvent) => {
    const { px, py } = place(event);
    const at = snap(Math.min(to, Math.max(from, atX(px))));
    const near = keys.filter((key) => key.at <= at).at(-1) ?? keys[0]!;
    const made = Array.isArray(near.value) ? near.value : Number(clamp(atY(py)).toPrecision(4));
    const next = withKey(keys, at, made);
    setPicked(next.findIndex((key) => Math.abs(key.at - at) < 1e-3));
    onCommit(next);
  };
  const remove = () => keys.length > 1 && onCommit(keys.filter((_, k) => k !== index));
  const setEase = (ease: Ease) => onCommit(keys.map((key, k) => (k === index ? { ...key, ease } : key)));
  const nudge = (event: React.KeyboardEvent, at: number) => {
    const key = keys[at]!;
    const step = along === "time" ? 1 / framesPerSecond : 0.01;
    const by = { ArrowLeft: -step, ArrowRight: step }[event.key];
    const rise = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (event.key === "Delete" || event.key === "Backspace") remove();
    else if (by) onCommit(movedKey(keys, at, key.at + by, key.value, from, along === "share" ? 1 : Infinity));
    else if (rise && !Array.isArray(key.value))
      onCommit(
        movedKey(keys, at, key.at, clamp(Number((key.value + (rise * (top - bottom)) / 50).toPrecision(4))), from),
      );
    else return;
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <div>
      <div ref={box} className="relative w-full select-none" style={{ height }}>
        <svg
          width={width}
          height={height}
          className="absolute inset-0 touch-none"
          onPointerMove={move}
          onPointerUp={end}
          onDoubleClick={addAt}
          role="group"
          aria-label="Curve. Double-click to add a key."
        >
          {graded ? (
            <Gradient
              keys={keys}
              x={x}
              top={inner.top}
              bottom={inner.bottom - 12}
              left={margin}
              right={width - margin}
            />
          ) : (
            <>
              {[0, 0.5, 1].map((share) => {
                const level = bottom + (top - bottom) * share;
                return (
                  <g key={share}>
                    <line
                      x1={margin}
                      x2={width - margin}
                      y1={y(level)}
                      y2={y(level)}
                      stroke="var(--line)"
                      strokeDasharray="2 3"
                    />
                    <text
                      x={width - margin}
                      y={y(level) - 2}
                      textAnchor="end"
                      fontSize={9.5}
                      fill="var(--soft)"
                      className="tabular"
                    >
                      {plain(Number(level.toPrecision(3)))}
                    </text>
                  </g>
                );
              })}
              {list(keys[0]!.value).map((_, part) => (
                <path
                  key={part}
                  d={outline(keys, part, x, y, margin, width - margin)}
                  fill="none"
                  stroke={TONES[part]}
                  strokeWidth={1.6}
                />
              ))}
            </>
          )}
          {playhead !== undefined && (
            <line x1={x(playhead)} x2={x(playhead)} y1={0} y2={height - 12} stroke="var(--brass)" strokeWidth={1} />
          )}
          {!graded && index < keys.length - 1 && Array.isArray(chosen.ease) && (
            <Handles
              start={chosen}
              end={keys[index + 1]!}
              x={x}
              y={y}
              onBegin={(event, part) => begin(event, { kind: "handle", index, part })}
            />
          )}
          {keys.map((key, k) =>
            (graded ? [0] : list(key.value)).map((number, part) => (
              <circle
                key={`${k} ${part}`}
                cx={x(key.at)}
                cy={graded ? inner.bottom - 4 : y(number)}
                r={k === index ? 5.5 : 4.5}
                fill={graded ? toHex(list(key.value)) : k === index ? "var(--brass)" : "var(--raised)"}
                stroke={k === index ? "var(--brass)" : (TONES[part] ?? "var(--ice)")}
                strokeWidth={1.8}
                className="cursor-grab focus:outline-none focus-visible:stroke-[3px]"
                tabIndex={0}
                role="slider"
                aria-label={`Key ${k + 1}${list(key.value).length > 1 && !graded ? ` ${AXES[part]}` : ""}`}
                aria-valuenow={graded ? key.at : number}
                aria-valuetext={`${plain(number)} at ${written(key.at, along)}`}
                onPointerDown={(event) => begin(event, { kind: "key", index: k, part })}
                onPointerUp={end}
                onFocus={() => setPicked(k)}
                onKeyDown={(event) => nudge(event, k)}
                data-key={k}
              />
            )),
          )}
        </svg>
      </div>
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-xs text-soft">
        <Box
          label="At"
          text={written(chosen.at, along)}
          after={along === "time" ? `${Math.round(chosen.at * framesPerSecond)} f` : ""}
          onTake={(text) => {
            const given =
              along === "time"
                ? worth(text, "s", framesPerSecond)
                : worth(text.includes("%") ? text : `${text}%`, "share", framesPerSecond);
            if (given !== null)
              onCommit(movedKey(keys, index, given, chosen.value, from, along === "share" ? 1 : Infinity));
          }}
        />
        {graded ? (
          <input
            type="color"
            aria-label="Colour of the key"
            className="h-6 w-9 cursor-pointer rounded border border-line bg-panel p-0.5"
            value={toHex(list(chosen.value))}
            onChange={(event) => onTry(movedKey(keys, index, chosen.at, fromHex(event.target.value), from))}
            onBlur={() => onCommit(latest.current)}
          />
        ) : (
          list(chosen.value).map((number, part, all) => (
            <Box
              key={part}
              label={all.length > 1 ? AXES[part]! : "Value"}
              text={plain(number).replace("−", "-")}
              after={part === all.length - 1 ? unit : ""}
              onTake={(text) => {
                const given = worth(text, props.code ?? "", framesPerSecond);
                if (given === null) return;
                const parts = all.map((entry, k) => (k === part ? clamp(given) : entry));
                onCommit(movedKey(keys, index, chosen.at, all.length > 1 ? parts : parts[0]!, from));
              }}
            />
          ))
        )}
        <span className="flex-1" />
        {index < keys.length - 1 && (
          <span role="group" aria-label="On to the next key" className="flex gap-0.5">
            {(
              [
                ["straight", "linear"],
                ["held", "hold"],
                ["eased", SMOOTH],
              ] as [string, Ease][]
            ).map(([word, ease]) => {
              const on = Array.isArray(ease) ? Array.isArray(chosen.ease) : chosen.ease === ease;
              return (
                <button
                  key={word}
                  type="button"
                  aria-pressed={on}
                  onClick={() => setEase(ease)}
                  className={`rounded px-1.5 py-0.5 ${on ? "bg-ice/15 text-ice" : "hover:bg-panel hover:text-text"}`}
                >
                  {word}
                </button>
              );
            })}
          </span>
        )}
        <button
          type="button"
          disabled={keys.length < 2}
          onClick={remove}
          className="rounded px-1.5 py-0.5 hover:bg-panel hover:text-text disabled:opacity-40"
        >
          remove {graded ? "stop" : "key"}
        </button>
      </div>
    </div>
  );
}

function Box({
  label,
  text,
  after,
  onTake,
}: {
  label: string;
  text: string;
  after?: string;
  onTake: (text: string) => void;
}) {
  return (
    <label className="flex items-center gap-1">
      {label}
      <input
        key={text}
        className="tabular w-16 rounded border border-line bg-panel px-1 py-0.5 text-right text-text focus:border-brass focus:outline-none"
        defaultValue={text}
        onFocus={(event) => event.target.select()}
        onBlur={(event) => event.target.value !== text && onTake(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {after}
    </label>
  );
}

const written = (at: number, along: "time" | "share"): string =>
  (along === "time" ? `${plain(at)} s` : `${plain(at * 100)} %`).replace("−", "-");

function spanOf(keys: readonly Key[], low: number | null, high: number | null): [number, number] {
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
function outline(
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

function Handles({ start, end, x, y, onBegin }: HandleProps) {
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

function Gradient({
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
