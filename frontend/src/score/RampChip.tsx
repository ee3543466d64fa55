/** A colour ramp inside a sentence, and its editor: ramps that ship, stops of one's own, and how the present values lie along it. */

import { useEffect, useRef, useState } from "react";
import { ArrowLeftRight } from "lucide-react";
import type { FieldInfo } from "@/api/client";
import { answered, api, type Histogram } from "@/api/client";
import { same, withValue, type Json, type Node, type Path } from "@/state/document";
import { CurveGraph } from "@/ui/CurveGraph";
import { IconButton, Popover } from "@/ui/controls";
import { plain } from "@/ui/numbers";
import { useScore } from "./context";
import { EditorHead } from "./EditorHead";
import { asStops, gradientOf, isNamed, ramped } from "./ramps";
import { useRun, useSession, useStudio } from "@/state/use";
import { storeAt } from "@/state/store";
import { cx } from "@/ui/cx";

export function RampChip({ field, parent, path }: { field: FieldInfo; parent: Node; path: Path }) {
  const session = useSession();
  const { catalogue, effect } = useScore();
  const ramp = parent[field.name] as Node;
  const follows = parent.quantity !== undefined && typeof parent.start === "number" && typeof parent.end === "number";
  const store = storeAt(session, path);
  return (
    <Popover
      label={field.label}
      wide
      trigger={
        <button
          type="button"
          className="chip"
          aria-label={`${field.label}: ${isNamed(ramp) ? String(ramp.named) : "stops of your own"}`}
        >
          <span
            className="inline-block h-3 w-16 translate-y-[2px] rounded-sm border border-line"
            style={{ background: gradientOf(ramp, catalogue.ramps) }}
          />
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={!same(ramp, field.default as Json)}
        onReset={() => session.edit(path, field.default as Json)}
      />
      {follows && <Along layer={parent} ramp={ramp} path={path.slice(0, -1)} />}
      <div className="mb-2 flex items-center gap-2">
        <span className="flex-1 text-xs text-soft">
          {isNamed(ramp)
            ? `${String(ramp.named)} — drag a stop, or double-click for a new one, to make it your own`
            : "Double-click the ramp for a new stop"}
        </span>
        <IconButton
          label="The other way round"
          className="!size-6"
          onClick={() =>
            session.edit(
              path,
              isNamed(ramp) ? { ...ramp, reversed: !ramp.reversed } : ramped(turned(asStops(ramp, catalogue.ramps))),
            )
          }
        >
          <ArrowLeftRight />
        </IconButton>
      </div>
      <CurveGraph
        keys={asStops(ramp, catalogue.ramps)}
        from={0}
        to={1}
        value="color"
        unit=""
        along="share"
        framesPerSecond={Number(effect.clock.frames_per_second)}
        height={76}
        onTry={(keys) => store.try(ramped(keys))}
        onCommit={(keys) => store.commit(ramped(keys))}
      />
      <div
        className="mt-2 grid grid-cols-2 gap-x-3 gap-y-0.5 border-t border-line pt-2"
        role="group"
        aria-label="Ramps that ship"
      >
        {Object.keys(catalogue.ramps).map((name) => (
          <button
            key={name}
            type="button"
            aria-pressed={ramp.named === name}
            onClick={() => session.edit(path, { named: name, reversed: ramp.reversed ?? false, keys: [] })}
            className={cx(
              "flex h-6 items-center gap-2 rounded px-1 text-xs",
              `${ramp.named === name ? "bg-ice/15 text-ice" : "text-soft hover:bg-panel hover:text-text"}`,
            )}
          >
            <span
              className="h-3 w-16 rounded-sm border border-line"
              style={{ background: gradientOf({ named: name, reversed: ramp.reversed ?? false }, catalogue.ramps) }}
            />
            {name}
          </button>
        ))}
      </div>
    </Popover>
  );
}

const turned = (keys: ReturnType<typeof asStops>) =>
  [...keys].reverse().map((key) => ({ ...key, at: Number((1 - key.at).toFixed(4)) }));

const WIDTH = 356;
const NOBODY: string[] = [];
const BARS = 46;
const BAR = 10;

/** The present values of what a ramp follows, and where on them it begins and ends: drag its ends, or fit it to the values. */
function Along({ layer, ramp, path }: { layer: Node; ramp: Node; path: Path }) {
  const session = useSession();
  const { catalogue } = useScore();
  const trial = useRun((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const [found, setFound] = useState<Histogram | null>(null);
  const drawing = useRef<HTMLDivElement>(null);
  const [grabbed, setGrabbed] = useState<"start" | "end" | null>(null);
  const who = useStudio((state) => state.document.looks[Number(path[1])]?.who ?? NOBODY);
  const ready = trial && frame < trial.computed;
  const key = JSON.stringify([trial?.key, ready, frame, layer.quantity, who]);
  useEffect(() => {
    if (!trial || !ready) return;
    let current = true;
    const body = { quantity: layer.quantity, who } as never;
    answered(
      api.POST("/api/trials/{trial_id}/frames/{number}/histogram", {
        params: { path: { trial_id: trial.id, number: frame } },
        body,
      }),
    ).then(
      (histogram) => current && setFound(histogram),
      () => undefined,
    );
    return () => {
      current = false;
    };
    // One key stands for everything that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  const [start, end] = [Number(layer.start), Number(layer.end)];
  if (!found || (found.total === 0 && !grabbed))
    return (
      <p className="mb-2 h-[84px] text-xs text-soft">
        {found ? `Nobody is drawn by this look at frame ${frame}.` : "Reading the values…"}
      </p>
    );
  const [least, most] = [found.edges[0]!, found.edges.at(-1)!];
  const [low, high] = [Math.min(least, start, end), Math.max(most, start, end)];
  const x = (value: number) => ((value - low) / (high - low || 1)) * WIDTH;
  const top = Math.max(1, ...found.counts);
  const put = (clientX: number) => {
    const box = drawing.current!.getBoundingClientRect();
    const value = low + ((clientX - box.left) / box.width) * (high - low);
    const fine = 10 ** Math.floor(Math.log10(Math.max(1e-9, high - low)) - 2);
    session.tryDocument(
      withValue(session.state.document!, [...path, grabbed!], Number((Math.round(value / fine) * fine).toPrecision(6))),
    );
  };
  const fit = () => {
    const [first, last] = [found.low, found.high === found.low ? found.low + 1 : found.high].map((value) =>
      Number(value.toPrecision(4)),
    );
    const next = withValue(session.state.document!, [...path, "start"], start > end ? last! : first!);
    session.commit(withValue(next, [...path, "end"], start > end ? first! : last!));
  };
  return (
    <div className="mb-3">
      <div
        ref={drawing}
        className="relative touch-none"
        style={{ width: WIDTH, height: BARS + BAR + 4 }}
        onPointerMove={(event) => grabbed && put(event.clientX)}
        onPointerUp={() => {
          if (grabbed) session.settle();
          setGrabbed(null);
        }}
      >
        <svg width={WIDTH} height={BARS} className="absolute left-0 top-0" aria-hidden>
          {found.counts.map((number, index) => {
            const [from, to] = [x(found.edges[index]!), x(found.edges[index + 1]!)];
            const tall = number ? Math.max(1.5, Math.sqrt(number / top) * (BARS - 4)) : 0;
            return (
              <rect
                key={index}
                x={from}
                width={Math.max(0.8, to - from - 0.6)}
                y={BARS - tall}
                height={tall}
                fill="var(--soft)"
                opacity={0.65}
              />
            );
          })}
        </svg>
        <div
          className="absolute rounded-sm border border-line"
          style={{
            top: BARS + 1,
            height: BAR,
            left: Math.min(x(start), x(end)),
            width: Math.max(2, Math.abs(x(end) - x(start))),
            background: gradientOf(start > end ? { ...ramp, reversed: !ramp.reversed } : ramp, catalogue.ramps),
          }}
        />
        {(["start", "end"] as const).map((name) => (
          <button
            key={name}
            type="button"
            aria-label={`${name === "start" ? "From" : "To"} ${plain(Number(layer[name]))}`}
            className="absolute top-0 w-6 -translate-x-1/2 cursor-ew-resize"
            style={{ left: x(Number(layer[name])), height: BARS + BAR + 4 }}
            onPointerDown={(event) => {
              event.currentTarget.parentElement!.setPointerCapture(event.pointerId);
              setGrabbed(name);
            }}
            onKeyDown={(event) => {
              const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
              if (by)
                session.edit([...path, name], Number((Number(layer[name]) + (by * (high - low)) / 100).toPrecision(5)));
            }}
          >
            <span className="mx-auto block h-full w-px bg-ice" />
          </button>
        ))}
      </div>
      <div className="mt-1 flex items-baseline gap-3 text-xs text-soft">
        <span className="tabular flex-1">
          present values {plain(Number(found.low.toPrecision(4)))} to {plain(Number(found.high.toPrecision(4)))}
        </span>
        <button type="button" onClick={fit} className="rounded px-1 py-0.5 text-ice hover:bg-panel">
          Fit to present values
        </button>
      </div>
    </div>
  );
}
