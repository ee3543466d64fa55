/** Editors for single values, used in popovers and in the list of all values. */

import type { FieldInfo } from "@/api/client";
import { same, type Json, type Node, type Path } from "@/state/document";
import { Slider } from "@/ui/controls";
import { HexInput } from "@/ui/HexInput";
import { fromHex, toHex } from "@/ui/colours";
import { otherWay, plain } from "@/ui/numbers";
import { typed } from "@/ui/typed";
import { useTyped } from "@/ui/useTyped";
import { fieldNow, isColor, useScore, type ValueRange } from "./context";
import { EditorHead } from "./EditorHead";
import { Keyable } from "./Keyable";
import { PointsEditor } from "./PointsEditor";
import { useSession } from "@/state/use";
import { storeAt, type Store } from "@/state/store";
import { cx } from "@/ui/cx";

const part = (store: Store, whole: readonly number[], index: number): Store => {
  const put = (value: Json) => whole.map((entry, at) => (at === index ? Number(value) : entry));
  const commitAt = store.commitAt && ((value: Json, time: number) => store.commitAt!(put(value), time));
  return { try: (value) => store.try(put(value)), commit: (value) => store.commit(put(value)), commitAt };
};

interface NumberProps {
  value: number;
  store: Store;
  label: string;
  unit: string;
  low: number | null;
  high: number | null;
  soft: readonly [number, number];
  step?: number | null;
  whole?: boolean;
  perFrame?: string | null;
  /** What percent are of, where that is not the present value. */
  base?: number;
  /** Whether it has no slider: a seed, of which one is as good as another. */
  typedOnly?: boolean;
  /** Takes a value and its spread, where both are typed at once: 0.07 ± 0.03; says why it cannot. */
  onSpread?: (value: number, spread: number) => string;
  /** Takes a value that its spread would carry beyond its limits; says why it cannot. */
  onBeyond?: (value: number) => string;
}

export const KEEPS =
  "Enter or leaving keeps what is typed, Escape takes it back. Units, % of what is there, small sums and 2 ± 0.5 are " +
  "understood; 3 at 2 s sets a key there. " +
  "Tab goes to the next value, arrows up and down to what stands around it.";

/** A value and the time at which it is to be that. */
const AT_A_TIME = /^(.+?)\s+at\s+(.+)$/i;

/** A value and its spread. */
const SPREAD = /^(.+?)\s*(?:±|\+\/?[-−])\s*(.+)$/;

/** From here on a time is without end. */
const EVER = 1e8;

export function NumberEditor({
  value,
  store,
  label,
  unit,
  low,
  high,
  soft,
  step,
  whole,
  perFrame,
  base,
  typedOnly,
  onSpread,
  onBeyond,
}: NumberProps) {
  const { catalogue, effect } = useScore();
  const fps = Number(effect.clock.frames_per_second);
  const shown = unit === "share" ? value * 100 : value;
  const share = unit === "" && low === 0 && high === 1 && !whole;
  const span = [
    Math.max(Math.min(soft[0], value), low ?? -Infinity),
    Math.min(Math.max(soft[1], value < EVER ? value : soft[1]), high ?? Infinity),
  ] as const;
  const fine = step ?? (whole ? 1 : 10 ** Math.floor(Math.log10(Math.max(1e-9, span[1] - span[0])) - 2));
  const present = value >= EVER ? "ever" : plain(shown).replace("−", "-");
  const spreadTyped = (middle: string, around: string): string => {
    const read = typed(middle, { unit, fps, present: value, base });
    if ("fault" in read) return read.fault;
    const spread = typed(around, { unit, fps, present: value, base: Math.abs(read.value) });
    if ("fault" in spread) return spread.fault;
    return onSpread!(read.value, spread.value);
  };
  /** Reads one value and keeps it; says why it cannot be. */
  const kept = (raw: string, keep: (value: number) => void): string => {
    // A bare number is a percentage where those are shown.
    const given = unit === "share" && !raw.includes("%") && /^[\d.,\s]+$/.test(raw) ? `${raw}%` : raw;
    const read =
      raw.trim() === "ever" && unit === "s" && (high ?? 0) >= EVER
        ? { value: high! }
        : typed(given, { unit, fps, present: value < EVER ? value : undefined, base, share });
    if ("fault" in read) return read.fault;
    const worth = unit === "share" ? 100 : 1;
    const beyond = (low !== null && read.value < low) || (high !== null && read.value > high);
    if (beyond && onBeyond) return onBeyond(read.value);
    if (low !== null && read.value < low) return `cannot be below ${plain(low * worth)}`;
    if (high !== null && read.value > high) return `cannot be above ${plain(high * worth)}`;
    keep(whole ? Math.round(read.value) : read.value);
    return "";
  };
  const { fault, box } = useTyped(present, (raw) => {
    const timed = store.commitAt && AT_A_TIME.exec(raw);
    if (timed) {
      const time = typed(timed[2]!, { unit: "s", fps });
      if ("fault" in time) return time.fault;
      return kept(timed[1]!, (next) => store.commitAt!(next, Number(time.value.toFixed(4))));
    }
    const both = onSpread && SPREAD.exec(raw);
    if (both) return spreadTyped(both[1]!, both[2]!);
    return kept(raw, (next) => store.commit(next));
  });
  const bend = bendOf(soft, span);
  const keep = (next: number) => (whole ? Math.round(next) : Number(next.toPrecision(6)));
  const unitWord = unit === "share" ? "%" : unit === "count" ? "" : (catalogue.units[unit] ?? unit);
  return (
    <div className={typedOnly ? "" : "grid grid-cols-[1fr_auto] items-center gap-x-3"}>
      {!typedOnly && (
        <Slider
          label={label}
          value={value}
          low={span[0]}
          high={span[1]}
          step={fine}
          bend={bend}
          onTry={(next) => store.try(keep(next))}
          onCommit={(next) => store.commit(keep(next))}
        />
      )}
      <span className="flex items-baseline gap-1.5">
        <input
          {...box}
          aria-label={label}
          title={KEEPS}
          className="tabular w-20 rounded border border-line bg-panel px-1.5 py-0.5 text-right focus:border-ice focus:outline-none"
        />
        {!(typedOnly && !unitWord) && <span className="min-w-8 text-soft">{unitWord}</span>}
      </span>
      {(fault || otherWay(value, unit, fps, perFrame)) && value < EVER && (
        <p className={`col-span-2 mt-0.5 text-xs ${fault ? "text-ember" : "text-soft"}`}>
          {fault || otherWay(value, unit, fps, perFrame)}
        </p>
      )}
    </div>
  );
}

/** How a slider is bent where its range spans decades: by powers of this, so that small values have as much room as
 * large ones. 0 is straight. */
function bendOf(soft: readonly [number, number], [low, high]: readonly [number, number]): number {
  if (low < 0 || high <= 0) return 0;
  if (low > 0) return high / low >= 50 ? high / low : 0;
  // From 0 on: what one usually takes keeps its half of the way.
  return soft[1] > 0 && high / soft[1] >= 8 ? (high / soft[1]) ** 2 : 0;
}

/** A number, a vector or a colour, as the surrounding amount decides; keyframes may stand in its place. */
export function ValueEditor({
  value,
  path,
  label,
  range,
  base,
  heading,
  onSpread,
  onBeyond,
}: {
  value: Json;
  path: Path;
  label: string;
  range: ValueRange;
  base?: number;
  heading?: string;
  onSpread?: (value: number, spread: number) => string;
  onBeyond?: (value: number) => string;
}) {
  return (
    <Keyable value={value} path={path} heading={heading}>
      {(present, store) => {
        if (range.value === "color")
          return <ColorEditor value={isColor(present) ? present : [1, 1, 1]} store={store} label={label} />;
        if (range.value === "flag") return <FlagEditor value={Number(present ?? 0)} store={store} label={label} />;
        if (range.value === "vector" || range.value === "orientation")
          return (
            <VectorEditor
              value={isColor(present) ? present : [0, 0, 0]}
              store={store}
              label={label}
              unit={range.unit}
              soft={range.soft}
            />
          );
        return (
          <NumberEditor
            value={Number(present ?? 0)}
            store={store}
            label={label}
            unit={range.unit}
            low={range.low}
            high={range.high}
            soft={range.soft}
            perFrame={range.perFrame}
            base={base}
            whole={range.value === "whole"}
            onSpread={onSpread}
            onBeyond={onBeyond}
          />
        );
      }}
    </Keyable>
  );
}

/** Yes or no, where an attribute is nothing else. */
export function FlagEditor({ value, store, label }: { value: number; store: Store; label: string }) {
  return (
    <div role="radiogroup" aria-label={label} className="flex gap-1">
      {[0, 1].map((choice) => (
        <button
          key={choice}
          type="button"
          role="radio"
          aria-checked={value >= 0.5 === (choice === 1)}
          onClick={() => store.commit(choice)}
          className={cx(
            "rounded px-2.5 py-0.5",
            `${value >= 0.5 === (choice === 1) ? "bg-ice/15 text-ice" : "text-soft hover:bg-panel hover:text-text"}`,
          )}
        >
          {choice ? "yes" : "no"}
        </button>
      ))}
    </div>
  );
}

export function ColorEditor({ value, store, label }: { value: number[]; store: Store; label: string }) {
  const session = useSession();
  return (
    <div className="flex items-center gap-3">
      <input
        type="color"
        aria-label={label}
        className="h-8 w-14 cursor-pointer rounded border border-line bg-panel p-0.5"
        value={toHex(value)}
        onChange={(event) => store.try(fromHex(event.target.value))}
        onBlur={() => session.settle()}
      />
      <HexInput label={`${label} as hexadecimal`} value={value} onTake={(color) => store.commit(color)} />
    </div>
  );
}

const AXES = ["x", "y", "z"];

export function VectorEditor({
  value,
  store,
  label,
  unit,
  soft,
  low = null,
  high = null,
}: {
  value: number[];
  store: Store;
  label: string;
  unit: string;
  soft: readonly [number, number];
  low?: number | null;
  high?: number | null;
}) {
  return (
    <div className="space-y-1">
      {AXES.map((axis, index) => (
        <div key={axis} className="grid grid-cols-[12px_1fr] items-center gap-2">
          <span className="text-soft">{axis}</span>
          <NumberEditor
            value={value[index] ?? 0}
            store={part(store, value, index)}
            label={`${label} ${axis}`}
            unit={unit}
            low={low}
            high={high}
            soft={soft}
          />
        </div>
      ))}
    </div>
  );
}

/** The editor for a plain field, with its help and a way back to its default. */
export function FieldEditor({
  field: declared,
  parent,
  value,
  path,
}: {
  field: FieldInfo;
  parent: Node;
  value: Json;
  path: Path;
}) {
  const session = useSession();
  const { catalogue, effect } = useScore();
  const field = fieldNow(declared, parent, catalogue, effect);
  return (
    <div>
      <EditorHead
        label={field.label}
        help={field.help}
        changed={!field.required && !same(value, (field.default ?? null) as Json)}
        onReset={() => session.edit(path, field.default as Json)}
      />
      {field.keyable ? (
        <Keyable value={value} path={path} straight={field.straight ?? false}>
          {(present, store) => <PlainEditor field={field} value={present} store={store} path={path} />}
        </Keyable>
      ) : (
        <PlainEditor field={field} value={value} store={storeAt(session, path)} path={path} />
      )}
    </div>
  );
}

export function PlainEditor({
  field,
  value,
  store,
  path,
}: {
  field: FieldInfo;
  value: Json;
  store: Store;
  path: Path;
}) {
  const session = useSession();
  const soft = (field.soft ?? [-10, 10]) as [number, number];
  if (field.type === "points") return <PointsEditor value={value as number[][]} path={path} />;
  if (field.type === "color" && isColor(value)) return <ColorEditor value={value} store={store} label={field.label} />;
  if (field.type === "vector" && isColor(value))
    return (
      <VectorEditor
        value={value}
        store={store}
        label={field.label}
        unit={field.unit ?? ""}
        soft={field.unit === "deg" && !field.soft ? [-180, 180] : soft}
        low={field.low ?? null}
        high={field.high ?? null}
      />
    );
  if (field.type === "text") {
    return (
      <input
        aria-label={field.label}
        className="w-full rounded border border-line bg-panel px-1.5 py-1 focus:border-ice focus:outline-none"
        key={String(value ?? "")}
        defaultValue={String(value ?? "")}
        title="Enter or leaving keeps what is typed, Escape takes it back."
        onBlur={(event) => session.edit(path, event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Escape") event.currentTarget.value = String(value ?? "");
          if (event.key === "Enter") event.currentTarget.blur();
        }}
      />
    );
  }
  return (
    <NumberEditor
      value={Number(value ?? 0)}
      store={store}
      label={field.label}
      unit={field.unit ?? ""}
      low={field.low ?? null}
      high={field.high ?? null}
      soft={soft}
      step={field.step}
      whole={field.type === "whole"}
      perFrame={field.per_frame}
    />
  );
}
