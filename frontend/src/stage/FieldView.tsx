/** The selected field on the stage: its picture, handles on a falloff's two boundaries, and where it is cut. */

import { useEffect, useMemo, useState } from "react";
import { Vector3 } from "three";
import type { Block } from "@/api/block";
import { fetchBlock } from "@/api/client";
import type { Field } from "@/state/document";
import { keysOf } from "@/state/keys";
import type { SliceAxis } from "@/state/session";
import { useRun, useSession, useStudio } from "@/state/use";
import { withUnit } from "@/ui/numbers";
import { DotHandle } from "./DotHandle";
import { useEngine } from "./engine";
import { LetGo } from "./LetGo";
import type { FieldHead } from "./scene/FieldScene";

/** The selected field with its place in the document. */
function useChosenField(): { field: Field; index: number } | null {
  const index = useStudio((state) => (state.selected?.[0] === "fields" ? Number(state.selected[1]) : -1));
  const field = useStudio((state) => state.document.fields[index] ?? null);
  return useMemo(() => (field ? { field, index } : null), [field, index]);
}

interface Read {
  block: Block<FieldHead>;
  /** The field with the trial and frame that it was read from. */
  of: string;
}

function useFieldBlock(id: string): Read | null {
  const trial = useRun((state) => state.shown?.trial);
  const frame = useRun((state) => state.shown?.frame.head.frame);
  const { axis, at } = useStudio((state) => state.cut);
  const [read, setRead] = useState<Read | null>(null);
  useEffect(() => {
    if (!trial || frame === undefined) return;
    const abort = new AbortController();
    const query = new URLSearchParams({ axis: axis === "none" ? "z" : axis, at: String(at) });
    const address = `/api/trials/${trial}/frames/${frame}/fields/${id}?${query.toString()}`;
    fetchBlock<FieldHead>(address, undefined, abort.signal)
      .then((block) => setRead({ block, of: `${id} ${trial} ${frame}` }))
      .catch(() => undefined);
    return () => abort.abort();
  }, [id, trial, frame, axis, at]);
  return read?.block.head.field === id ? read : null;
}

/** The chosen field's picture, handles and tools. */
export function ChosenField() {
  const chosen = useChosenField();
  return chosen && <FieldOnStage key={chosen.field.id} {...chosen} />;
}

function FieldOnStage({ field, index }: { field: Field; index: number }) {
  const engine = useEngine();
  const read = useFieldBlock(field.id);
  const axis = useStudio((state) => state.cut.axis);
  const playing = useStudio((state) => state.playing);
  const block = read?.block ?? null;
  useEffect(() => {
    engine.field.put(block, axis !== "none");
    engine.invalidate();
  }, [engine, block, axis]);
  useEffect(
    () => () => {
      engine.field.put(null, false);
      engine.invalidate();
    },
    [engine],
  );
  const line = block?.head.line;
  return (
    <>
      {line && field.kind === "falloff" && !playing && <BoundaryHandles field={field} index={index} line={line} />}
      <FieldTools field={field} drawn={read?.of ?? ""} />
    </>
  );
}

interface BoundaryProps {
  field: Extract<Field, { kind: "falloff" }>;
  index: number;
  line: [number[], number[]];
}

/** Two round handles on a line straight out of the shape: what each boundary's distance is. */
function BoundaryHandles({ field, index, line }: BoundaryProps) {
  const session = useSession();
  const units = useStudio((state) => state.catalogue.units);
  const place = useMemo(() => new Vector3().fromArray(line[0]), [line]);
  const way = useMemo(() => new Vector3().fromArray(line[1]), [line]);
  const put = (name: "inner" | "outer", to: Vector3) => {
    const value = to.clone().sub(place).dot(way);
    const [inner, outer] = [Number(field.inner), Number(field.outer)];
    // Neither boundary passes the other.
    const held = name === "inner" ? Math.min(value, outer) : Math.max(value, inner);
    session.tryValue(["fields", index, name], Number(held.toFixed(3)));
  };
  return (["inner", "outer"] as const).map((name) => {
    if (keysOf(field[name])) return null;
    const value = Number(field[name]);
    const word = name === "inner" ? "Inner" : "Outer";
    return (
      <DotHandle
        key={name}
        place={place.clone().addScaledVector(way, value)}
        along={way}
        full={name === "inner"}
        label={`${word} boundary of ${field.label}: ${withUnit(value, "m", units)}`}
        hint={`${name === "inner" ? "1 within" : "0 beyond"} ${withUnit(value, "m", units)}. Drag, or use the arrow keys.`}
        onMove={(to) => put(name, to)}
        onEnd={() => session.settle()}
      />
    );
  });
}

const AXES: [SliceAxis, string, string][] = [
  ["x", "x", "Cut it across the x axis"],
  ["y", "y", "Cut it level"],
  ["z", "z", "Cut it across the z axis"],
  ["none", "no slice", "Boundaries only"],
];

const SCALE = "linear-gradient(90deg, rgb(41 46 87), rgb(51 122 140) 50%, rgb(219 242 230))";

/** The tools of the selected field, over the stage. */
function FieldTools({ field, drawn }: { field: Field; drawn: string }) {
  const session = useSession();
  const { axis, at } = useStudio((state) => state.cut);
  const set = (change: Partial<{ axis: SliceAxis; at: number }>) => session.set({ cut: { axis, at, ...change } });
  return (
    <div
      data-drawn={drawn}
      role="group"
      aria-label={`Picture of ${field.label}`}
      className="stage-bar absolute left-3 top-12"
    >
      <span className="max-w-24 truncate px-1.5 text-soft">{field.label}</span>
      {AXES.map(([value, words, help]) => (
        <button
          key={value}
          type="button"
          title={help}
          aria-pressed={axis === value}
          onClick={() => set({ axis: value })}
          className="stage-button px-1.5"
        >
          {words}
        </button>
      ))}
      {axis !== "none" && (
        <input
          type="range"
          aria-label="Where it is cut"
          min={0}
          max={1}
          step={0.01}
          value={at}
          onChange={(event) => set({ at: Number(event.target.value) })}
          className="mx-1 w-16 accent-[var(--ice)]"
        />
      )}
      <span aria-hidden className="flex items-center gap-1 pl-1 text-soft" title="Colours of the slice: 0 to 1">
        0<span className="h-2 w-8 rounded-sm" style={{ background: SCALE }} />1
      </span>
      <LetGo />
    </div>
  );
}
