/** The chosen key of a curve as numbers: where it is, what it is worth, how it goes on to the next. */

import type { RefObject } from "react";
import { movedKey, SMOOTH, type Ease, type Key, type KeyValue } from "@/state/keys";
import type { CurveProps } from "./CurveGraph";
import { HexInput } from "./HexInput";
import { fromHex, plain, toHex } from "./numbers";
import { worth } from "./typed";

export const AXES = ["x", "y", "z"];
export const list = (value: KeyValue): number[] => (Array.isArray(value) ? value : [value]);

interface Props extends CurveProps {
  index: number;
  written: (at: number) => string;
  clamp: (value: number) => number;
  /** The keys as they are while one is dragged. */
  latest: RefObject<Key[]>;
  onEase: (ease: Ease) => void;
  onRemove: () => void;
}

export function KeyRow(props: Props) {
  const { keys, index, along, framesPerSecond, from, value, unit, code, written, clamp, latest } = props;
  const { onTry, onCommit, onEase, onRemove } = props;
  const chosen = keys[index]!;
  const graded = value === "color";
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-xs text-soft">
      <Box
        label="At"
        text={written(chosen.at)}
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
        <span className="flex items-center gap-1">
          <input
            type="color"
            aria-label="Colour of the key"
            className="h-6 w-9 cursor-pointer rounded border border-line bg-panel p-0.5"
            value={toHex(list(chosen.value))}
            onChange={(event) => onTry(movedKey(keys, index, chosen.at, fromHex(event.target.value), from))}
            onBlur={() => onCommit(latest.current)}
          />
          <HexInput
            label="Colour of the key as hexadecimal"
            value={list(chosen.value)}
            onTake={(color) => onCommit(movedKey(keys, index, chosen.at, color, from))}
          />
        </span>
      ) : (
        list(chosen.value).map((number, part, all) => (
          <Box
            key={part}
            label={all.length > 1 ? AXES[part]! : "Value"}
            text={plain(number).replace("−", "-")}
            after={part === all.length - 1 ? unit : ""}
            onTake={(text) => {
              const given = worth(text, code ?? "", framesPerSecond);
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
                onClick={() => onEase(ease)}
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
        onClick={onRemove}
        className="rounded px-1.5 py-0.5 hover:bg-panel hover:text-text disabled:opacity-40"
      >
        remove {graded ? "stop" : "key"}
      </button>
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
