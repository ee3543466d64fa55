/** A curve through keys, to be drawn: drag keys and the handles of an eased piece, double-click to add, Delete to remove. */

import { useEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { keyAt, movedKey, withKey, type Ease, type Key } from "@/state/keys";
import { Gradient, Handles, outline, spanOf, written } from "./curve";
import { AXES, KeyRow, list } from "./KeyRow";
import { toHex } from "./colours";
import { plain } from "./numbers";

export interface CurveProps {
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

/** Room that half a key takes. */
const PIN = 7;
const TONES = ["var(--ice)", "#d9a3b4", "#9fc59a"];

interface Drag {
  kind: "key" | "handle";
  index: number;
  part: number;
}

export function CurveGraph(props: CurveProps) {
  const { keys, from, to, value, onTry, onCommit, height, along, framesPerSecond, playhead, margin = 8 } = props;
  const box = useRef<HTMLDivElement>(null);
  const row = useRef<HTMLDivElement>(null);
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
  // The key at the playhead is the one that is edited, as in the value's own box.
  const there = playhead === undefined ? -1 : keyAt(keys, playhead, 0.5 / 240);
  const [followed, setFollowed] = useState(there);
  if (there !== followed) {
    setFollowed(there);
    if (there >= 0 && !drag) setPicked(there);
  }
  const index = Math.min(picked, keys.length - 1);
  const chosen = keys[index]!;
  const [bottom, top] = frozen ?? spanOf(keys, props.low ?? null, props.high ?? null);
  const inner = { top: 10, bottom: height - 16 };
  const x = (at: number) => margin + ((at - from) / Math.max(1e-9, to - from)) * (width - 2 * margin);
  /** Where a key is drawn: whole, at the ends, too. */
  const pin = (at: number) => Math.min(width - PIN, Math.max(PIN, x(at)));
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

  /** Tab goes on from the last value of a key to the next key, from the digits of a colour to those of the next one. */
  const walk = (event: React.KeyboardEvent) => {
    const hops = () => [...row.current!.querySelectorAll<HTMLElement>("[data-hop]")];
    const target = event.target as HTMLElement;
    const leaves = target === hops().at(graded ? 0 : -1);
    if (event.key !== "Tab" || event.shiftKey || index >= keys.length - 1 || !leaves) return;
    event.preventDefault();
    event.stopPropagation();
    flushSync(() => target.blur());
    if (target.getAttribute("aria-invalid") === "true") return target.focus();
    flushSync(() => setPicked(index + 1));
    hops()[0]?.focus();
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
                      x={width - margin - 2}
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
                cx={pin(key.at)}
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
                // A colour is typed over at once.
                onClick={() => graded && row.current?.querySelector<HTMLElement>("[data-hop]")?.focus()}
                onFocus={() => setPicked(k)}
                onKeyDown={(event) => nudge(event, k)}
                data-key={k}
              />
            )),
          )}
        </svg>
      </div>
      {/* A curve that reaches from edge to edge has no margin of its own for what stands below it. */}
      <div ref={row} data-stay onKeyDown={walk} className={margin === 0 ? "px-3" : ""}>
        <KeyRow
          {...props}
          index={index}
          written={(at) => written(at, along)}
          clamp={clamp}
          latest={latest}
          onEase={setEase}
          onRemove={remove}
        />
      </div>
    </div>
  );
}
