/** Keyframes of what is selected, lying under the strip: a row of pins for each number, and the curve of the one that is open. */

import { Spline } from "lucide-react";
import { useMemo, useState } from "react";
import type { Catalogue } from "@/api/client";
import {
  at,
  curvesOf,
  listOf,
  nameOf,
  same,
  wordFor,
  type Effect,
  type Json,
  type Node,
  type Path,
} from "@/state/document";
import { curve, keyedPaths, keysOf, movedKey, type Key } from "@/state/keys";
import { CurveGraph } from "@/ui/CurveGraph";
import { capitalised } from "@/ui/words";
import { useSession, useStudio, useTimeAt } from "@/state/use";
import { lastFrame } from "@/state/run";
import { storeAt } from "@/state/store";
import { cx } from "@/ui/cx";

/** What a keyframed number is called: its item, and the way down to it. */
export function trackName(effect: Effect, path: Path, catalogue: Catalogue): string {
  const [collection, index, ...rest] = path;
  const single = collection === "clock" || collection === "picture";
  const item = single ? null : (listOf(effect, String(collection))[Number(index)] ?? null);
  const inner = (single ? path.slice(1) : rest).filter((key) => typeof key === "string" && key !== "value");
  const words = inner.length ? inner.join(" ").replaceAll("_", " ") : "value";
  return item
    ? `${nameOf(item, wordFor(catalogue, String(collection)), Number(index))} · ${words}`
    : `${capitalised(String(collection))} · ${words}`;
}

export function useTracks(): Path[] {
  const effect = useStudio((state) => state.document);
  const selected = useStudio((state) => state.selected);
  const open = useStudio((state) => state.track);
  const catalogue = useStudio((state) => state.catalogue);
  return useMemo(() => {
    const part = selected ? at(effect, selected) : undefined;
    const own: Path[] =
      part === undefined ? [] : keyedPaths(part, curvesOf(catalogue)).map((path) => [...selected!, ...path]);
    const there = open && keysOf(at(effect, open));
    return there && !own.some((path) => same(path as Json, open as Json)) ? [...own, open] : own;
  }, [effect, selected, open, catalogue]);
}

export function Tracks() {
  const effect = useStudio((state) => state.document);
  const open = useStudio((state) => state.track);
  const tracks = useTracks();
  if (!effect || tracks.length === 0) return null;
  const opened = tracks.find((path) => same(path as Json, open as Json));
  return (
    <section aria-label="Keyframes" className="border-t border-line bg-panel pb-2 pt-1">
      <ul className="max-h-[120px] overflow-y-auto">
        {tracks.map((path) => (
          <TrackRow key={path.join("/")} effect={effect} path={path} open={path === opened} />
        ))}
      </ul>
      {opened && <OpenCurve effect={effect} path={opened} />}
    </section>
  );
}

function TrackRow({ effect, path, open }: { effect: Effect; path: Path; open: boolean }) {
  const session = useSession();
  const keys = keysOf(at(effect, path)) ?? [];
  const fps = Number(effect.clock.frames_per_second);
  const duration = lastFrame(effect) / fps;
  const now = useTimeAt(path);
  const catalogue = useStudio((state) => state.catalogue);
  const [drag, setDrag] = useState<number | null>(null);
  const move = (event: React.PointerEvent) => {
    if (drag === null) return;
    const box = event.currentTarget.getBoundingClientRect();
    const time = Math.round(((event.clientX - box.left) / box.width) * duration * fps) / fps;
    session.tryValue(path, curve(movedKey(keys, drag, time, keys[drag]!.value, Math.min(0, keys[0]!.at))));
  };
  const release = () => {
    setDrag(null);
    session.settle();
  };
  return (
    <li className="relative h-10">
      <button
        type="button"
        aria-pressed={open}
        title="Show the curve"
        className={cx(
          "absolute left-0 top-0 z-[1] flex h-4 max-w-full items-center gap-1.5 rounded bg-panel/80",
          `px-2 text-left text-xs ${open ? "text-brass" : "text-soft hover:text-text"}`,
        )}
        onClick={() => session.set({ track: open ? null : path })}
      >
        <Spline className="size-3.5 shrink-0" />
        <span className="truncate">{capitalised(trackName(effect, path, catalogue))}</span>
      </button>
      <div className="absolute inset-x-0 bottom-0 h-6 touch-none" onPointerMove={move} onPointerUp={release}>
        <div className="absolute inset-x-0 top-1/2 h-px bg-line" />
        <NowLine path={path} duration={duration} />
        {keys.map((key, index) => (
          <button
            key={index}
            type="button"
            aria-label={`Key ${index + 1} at ${key.at.toFixed(2)} s`}
            title={`${key.at.toFixed(2)} s · frame ${Math.round(key.at * fps)}`}
            // Whole at the ends, too.
            style={{ left: `clamp(5px, ${(Math.min(key.at, duration) / duration) * 100}%, 100% - 5px)` }}
            className={cx(
              "absolute top-1/2 h-3.5 w-[7px] -translate-x-1/2 -translate-y-1/2 cursor-ew-resize",
              "rounded-sm border",
              `${Math.abs(key.at - now) < 0.5 / fps ? "border-brass bg-brass" : "border-brass/80 bg-panel hover:bg-brass/60"}`,
              `${key.at > duration ? "opacity-50" : ""}`,
            )}
            onPointerDown={(event) => {
              event.stopPropagation();
              (event.currentTarget.parentElement as Element).setPointerCapture(event.pointerId);
              setDrag(index);
            }}
            onDoubleClick={() => session.seekTime(key.at)}
            onClick={() => drag === null && session.seekTime(key.at)}
          />
        ))}
      </div>
    </li>
  );
}

function NowLine({ path, duration }: { path: Path; duration: number }) {
  const now = useTimeAt(path);
  return <div className="absolute inset-y-0 w-px bg-brass/60" style={{ left: `${(now / duration) * 100}%` }} />;
}

function OpenCurve({ effect, path }: { effect: Effect; path: Path }) {
  const session = useSession();
  const catalogue = useStudio((state) => state.catalogue);
  const now = useTimeAt(path);
  const keys: Key[] = keysOf(at(effect, path)) ?? [];
  const fps = Number(effect.clock.frames_per_second);
  const field = fieldOf(path, effect);
  const info = [...Object.values(catalogue.parts), ...Object.values(catalogue.slots).flat()]
    .find((part) => part.kind === field.kind)
    ?.fields.find((entry) => entry.name === field.name);
  const store = storeAt(session, path);
  const wide = Array.isArray(keys[0]!.value);
  const color = info?.type === "color" || field.name === "color" || path.includes("color");
  return (
    <div title="Drag keys and handles, double-click to add one, Delete to remove. Shift keeps the time.">
      <CurveGraph
        keys={keys}
        from={0}
        to={lastFrame(effect) / fps}
        value={wide ? (color ? "color" : "vector") : "number"}
        unit={catalogue.units[info?.unit ?? ""] ?? ""}
        code={info?.unit ?? ""}
        low={info?.low ?? null}
        high={info?.high ?? null}
        along="time"
        framesPerSecond={fps}
        playhead={now}
        height={118}
        margin={0}
        onTry={(next) => store.try(curve(next))}
        onCommit={(next) => store.commit(curve(next))}
      />
    </div>
  );
}

/** The kind of the part that a path ends in, and the field's name. */
function fieldOf(path: Path, effect: Effect): { kind: string; name: string } {
  const owner = at(effect, path.slice(0, -1)) as Node | undefined;
  const parts: Record<string, string> = {
    sources: "source",
    rules: "rule",
    groups: "group",
    dials: "dial",
    attributes: "attribute",
  };
  const kind = path[0] === "clock" ? "clock" : (owner?.kind ?? parts[String(path[0])] ?? "");
  return { kind: String(kind), name: String(path.at(-1)) };
}
