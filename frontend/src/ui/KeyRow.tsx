/** The chosen key of a curve as numbers: where it is, what it is worth, how it goes on to the next. */

import type { RefObject } from "react";
import { movedKey, roomFor, SMOOTH, type Ease, type Key, type KeyValue } from "@/state/keys";
import { cx } from "./cx";
import type { CurveProps } from "./CurveGraph";
import { HexInput } from "./HexInput";
import { fromHex, toHex } from "./colours";
import { plain } from "./numbers";
import { worth } from "./typed";
import { useTyped } from "./useTyped";

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
  const place = (
    <Box
      label="At"
      name="At: the key’s place"
      text={written(chosen.at)}
      after={along === "time" ? `${Math.round(chosen.at * framesPerSecond)} f` : ""}
      onTake={(text) => {
        const given =
          along === "time"
            ? worth(text, "s", framesPerSecond)
            : worth(text.includes("%") ? text : `${text}%`, "share", framesPerSecond);
        if (given === null) return `that is no ${along === "time" ? "time" : "place"}`;
        const [low, high] = roomFor(keys, index, from, along === "share" ? 1 : Infinity);
        if (given < low || given > high) return between(low, high, written);
        onCommit(movedKey(keys, index, given, chosen.value, low, high));
        return "";
      }}
    />
  );
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-xs text-soft">
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
            name={all.length > 1 ? `${AXES[part]!} of the key’s value` : "Value of the key"}
            text={plain(number).replace("−", "-")}
            after={part === all.length - 1 ? unit : ""}
            onTake={(text) => {
              const given = worth(text, code ?? "", framesPerSecond);
              if (given === null) return "that is no number";
              const parts = all.map((entry, k) => (k === part ? clamp(given) : entry));
              onCommit(movedKey(keys, index, chosen.at, all.length > 1 ? parts : parts[0]!, from));
              return "";
            }}
          />
        ))
      )}
      {place}
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

/** Why a key cannot stand where it was typed to. */
function between(low: number, high: number, written: (at: number) => string): string {
  const [first, last] = [written(low), written(high)];
  return high === Infinity ? `it stays behind the one before: from ${first} on` : `it stays from ${first} to ${last}`;
}

interface BoxProps {
  label: string;
  /** What it is called where its label is not enough. */
  name: string;
  text: string;
  after?: string;
  /** Keeps what was typed and returns "", or why it cannot be. */
  onTake: (text: string) => string;
}

function Box({ label, name, text, after, onTake }: BoxProps) {
  const { fault, box } = useTyped(text, (given) => (given === text ? "" : onTake(given)));
  return (
    <>
      <label className="flex items-center gap-1">
        {label}
        <input
          {...box}
          aria-label={name}
          className={cx(
            "tabular w-16 rounded border border-line bg-panel px-1 py-0.5 text-right text-text",
            "focus:border-brass focus:outline-none aria-invalid:border-ember",
          )}
        />
        {after}
      </label>
      {fault && (
        <span role="alert" className="w-full text-ember">
          {fault}
        </span>
      )}
    </>
  );
}
