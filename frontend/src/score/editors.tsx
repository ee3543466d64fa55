/** Editors for single values, used in popovers and in the list of all values. */

import { RotateCcw } from "lucide-react";
import { useState } from "react";
import type { FieldInfo } from "@/api/client";
import { same, type Json, type Path } from "@/state/document";
import { commit, edit, tryValue, useStudio } from "@/state/studio";
import { IconButton, Slider } from "@/ui/controls";
import { fromHex, otherWay, plain, toHex, typed } from "@/ui/numbers";
import { unmarked } from "@/ui/words";
import { isColor, useScore, type ValueRange } from "./context";

/** Commit what dragging has tried. */
export const settle = (): void => {
  const { document } = useStudio.getState();
  if (document) commit(document);
};

interface NumberProps {
  value: number;
  path: Path;
  label: string;
  unit: string;
  low: number | null;
  high: number | null;
  soft: readonly [number, number];
  step?: number | null;
  whole?: boolean;
}

export function NumberEditor({ value, path, label, unit, low, high, soft, step, whole }: NumberProps) {
  const { catalogue, effect } = useScore();
  const fps = Number(effect.clock.frames_per_second);
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState("");
  const shown = unit === "share" ? value * 100 : value;
  const span = [Math.min(soft[0], value), Math.max(soft[1], value < 1e8 ? value : soft[1])] as const;
  const fine = step ?? (whole ? 1 : 10 ** Math.floor(Math.log10(Math.max(1e-9, span[1] - span[0])) - 2));
  const take = (raw: string) => {
    const bare = unit === "share" && /^[\d.,\s]+$/.test(raw) ? `${raw}%` : raw;
    const number = typed(bare, unit, fps);
    setText(null);
    if (number === null) return setFault(`“${raw}” is no number`);
    if (low !== null && number < low) return setFault(`cannot be below ${plain(low)}`);
    if (high !== null && number > high) return setFault(`cannot be above ${plain(high)}`);
    setFault("");
    edit(path, whole ? Math.round(number) : number);
  };
  const keep = (next: number) => (whole ? Math.round(next) : Number(next.toPrecision(6)));
  const unitWord = unit === "share" ? "%" : unit === "count" ? "" : (catalogue.units[unit] ?? unit);
  return (
    <div className="grid grid-cols-[1fr_auto] items-center gap-x-3">
      <Slider
        label={label}
        value={value}
        low={span[0]}
        high={span[1]}
        step={fine}
        onTry={(next) => tryValue(path, keep(next))}
        onCommit={(next) => {
          tryValue(path, keep(next));
          settle();
        }}
      />
      <span className="flex items-baseline gap-1.5">
        <input
          aria-label={label}
          aria-invalid={fault !== ""}
          className="tabular w-20 rounded border border-line bg-panel px-1.5 py-0.5 text-right focus:border-ice focus:outline-none"
          value={text ?? (value >= 1e8 ? "ever" : plain(shown).replace("−", "-"))}
          onChange={(event) => setText(event.target.value)}
          onFocus={(event) => event.target.select()}
          onBlur={() => text !== null && take(text)}
          onKeyDown={(event) => {
            if (event.key === "Enter") take(event.currentTarget.value);
            if (event.key === "Escape" && text !== null) {
              event.stopPropagation();
              setText(null);
            }
          }}
        />
        <span className="min-w-8 text-soft">{unitWord}</span>
      </span>
      {(fault || otherWay(value, unit, fps)) && value < 1e8 && (
        <p className={`col-span-2 mt-0.5 text-xs ${fault ? "text-ember" : "text-soft"}`}>{fault || otherWay(value, unit, fps)}</p>
      )}
    </div>
  );
}

/** A number, a vector or a colour, as the surrounding amount decides. */
export function ValueEditor({ value, path, label, range }: { value: Json; path: Path; label: string; range: ValueRange }) {
  if (range.value === "color") return <ColorEditor value={isColor(value) ? value : [1, 1, 1]} path={path} label={label} />;
  if (range.value === "vector") return <VectorEditor value={isColor(value) ? value : [0, 0, 0]} path={path} label={label} unit={range.unit} soft={range.soft} />;
  return <NumberEditor value={Number(value ?? 0)} path={path} label={label} unit={range.unit} low={range.low} high={range.high} soft={range.soft} />;
}

export function ColorEditor({ value, path, label }: { value: number[]; path: Path; label: string }) {
  return (
    <div className="flex items-center gap-3">
      <input
        type="color"
        aria-label={label}
        className="h-8 w-14 cursor-pointer rounded border border-line bg-panel p-0.5"
        value={toHex(value)}
        onChange={(event) => tryValue(path, fromHex(event.target.value))}
        onBlur={settle}
      />
      <input
        aria-label={`${label} as hexadecimal`}
        className="tabular w-24 rounded border border-line bg-panel px-1.5 py-0.5 focus:border-ice focus:outline-none"
        key={toHex(value)}
        defaultValue={toHex(value)}
        onBlur={(event) => /^#[0-9a-f]{6}$/i.test(event.target.value) && edit(path, fromHex(event.target.value))}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    </div>
  );
}

const AXES = ["x", "y", "z"];

export function VectorEditor({ value, path, label, unit, soft }: { value: number[]; path: Path; label: string; unit: string; soft: readonly [number, number] }) {
  return (
    <div className="space-y-1">
      {AXES.map((axis, index) => (
        <div key={axis} className="grid grid-cols-[12px_1fr] items-center gap-2">
          <span className="text-soft">{axis}</span>
          <NumberEditor value={value[index] ?? 0} path={[...path, index]} label={`${label} ${axis}`} unit={unit} low={null} high={null} soft={soft} />
        </div>
      ))}
    </div>
  );
}

/** The editor for a plain field, with its help and a way back to its default. */
export function FieldEditor({ field, value, path }: { field: FieldInfo; value: Json; path: Path }) {
  return (
    <div>
      <EditorHead label={field.label} help={field.help} changed={!field.required && !same(value, (field.default ?? null) as Json)} onReset={() => edit(path, field.default as Json)} />
      <PlainEditor field={field} value={value} path={path} />
    </div>
  );
}

export function PlainEditor({ field, value, path }: { field: FieldInfo; value: Json; path: Path }) {
  const soft = (field.soft ?? [-10, 10]) as [number, number];
  if (field.type === "color" && isColor(value)) return <ColorEditor value={value} path={path} label={field.label} />;
  if (field.type === "vector" && isColor(value)) return <VectorEditor value={value} path={path} label={field.label} unit={field.unit ?? ""} soft={field.unit === "deg" ? [-180, 180] : soft} />;
  if (field.type === "text") {
    return (
      <input
        aria-label={field.label}
        className="w-full rounded border border-line bg-panel px-1.5 py-1 focus:border-ice focus:outline-none"
        defaultValue={String(value ?? "")}
        onBlur={(event) => edit(path, event.target.value)}
      />
    );
  }
  return (
    <NumberEditor
      value={Number(value ?? 0)}
      path={path}
      label={field.label}
      unit={field.unit ?? ""}
      low={field.low ?? null}
      high={field.high ?? null}
      soft={soft}
      step={field.step}
      whole={field.type === "whole"}
    />
  );
}

export function EditorHead({ label, help, changed, onReset }: { label: string; help?: string | null; changed: boolean; onReset: () => void }) {
  return (
    <div className="mb-2">
      <div className="flex h-6 items-center justify-between">
        <h3 className="font-medium">{label}</h3>
        {changed && (
          <IconButton label="Back to the default" onClick={onReset} className="!size-6">
            <RotateCcw />
          </IconButton>
        )}
      </div>
      {help && <p className="text-xs leading-relaxed text-soft">{unmarked(help)}</p>}
    </div>
  );
}
