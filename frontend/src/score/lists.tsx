/** Lists inside a sentence: colours one after another, and numbers. */

import { Plus, X } from "lucide-react";
import { useState } from "react";
import type { FieldInfo } from "@/api/client";
import { same, type Json, type Path } from "@/state/document";
import { IconButton, Popover } from "@/ui/controls";
import { HexInput } from "@/ui/HexInput";
import { fromHex, toHex } from "@/ui/colours";
import { plain } from "@/ui/numbers";
import { Swatch } from "./Chip";
import { EditorHead } from "./EditorHead";
import { useSession } from "@/state/use";
import { storeAt } from "@/state/store";
import { cx } from "@/ui/cx";

const MOST = 64;

/** A colour unlike those before it: the hue goes on by the golden angle. */
function another(number: number): number[] {
  const hue = ((number * 137.5) % 360) / 60;
  const [low, high] = [0.3, 0.88];
  const part = (shift: number) => low + (high - low) * Math.min(1, Math.max(0, Math.abs(((hue + shift) % 6) - 3) - 1));
  return [part(0), part(4), part(2)].map((value) => Number(value.toFixed(3)));
}

export function ColorsChip({ field, value, path }: { field: FieldInfo; value: number[][]; path: Path }) {
  const session = useSession();
  const store = storeAt(session, path);
  return (
    <Popover
      label={field.label}
      wide
      trigger={
        <button type="button" data-value className="chip" aria-label={`${field.label}: ${value.length}`}>
          {value.slice(0, 6).map((color, index) => (
            <Swatch key={index} color={color} />
          ))}
          {value.length > 6 && <span className="text-xs text-soft">+{value.length - 6}</span>}
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={!same(value, field.default as Json)}
        onReset={() => session.edit(path, field.default as Json)}
      />
      <ol className="grid grid-cols-2 gap-x-3 gap-y-1">
        {value.map((color, index) => (
          <li key={index} className="group/color flex items-center gap-1.5">
            <button
              type="button"
              aria-label={`Type colour ${index + 1}`}
              onClick={(event) => event.currentTarget.parentElement!.querySelector<HTMLElement>("[data-hop]")?.focus()}
              className="size-6 shrink-0 rounded border border-line hover:border-ice"
              style={{ background: toHex(color) }}
            />
            <HexInput
              label={`Colour ${index + 1} as hexadecimal`}
              value={color}
              onTake={(taken) => store.commit(value.map((entry, at) => (at === index ? taken : entry)))}
            />
            <input
              type="color"
              aria-label={`Colour ${index + 1}`}
              className="size-5 shrink-0 cursor-pointer rounded border border-line bg-panel p-0.5"
              value={toHex(color)}
              onChange={(event) =>
                store.try(value.map((entry, at) => (at === index ? fromHex(event.target.value) : entry)))
              }
              onBlur={() => session.settle()}
            />
            {value.length > 1 && (
              <button
                type="button"
                aria-label={`Remove colour ${index + 1}`}
                onClick={() =>
                  session.edit(
                    path,
                    value.filter((_, at) => at !== index),
                  )
                }
                className={cx(
                  "grid size-6 shrink-0 place-items-center rounded text-soft opacity-0 hover:bg-panel",
                  "hover:text-ember focus-visible:opacity-100 group-hover/color:opacity-100",
                )}
              >
                <X className="size-3" />
              </button>
            )}
          </li>
        ))}
        {value.length < MOST && (
          <li>
            <IconButton
              label="One more colour"
              className="!size-8 border border-line"
              onClick={() => session.edit(path, [...value, another(value.length)])}
            >
              <Plus />
            </IconButton>
          </li>
        )}
      </ol>
    </Popover>
  );
}

/** Numbers typed with spaces between them; none at all reads as the field's own word. */
export function NumbersChip({ field, value, path }: { field: FieldInfo; value: number[]; path: Path }) {
  const session = useSession();
  const [problem, setProblem] = useState("");
  const written = value.map((number) => plain(number)).join(" ");
  const take = (text: string) => {
    const pieces = text.split(/[\s,;:]+/).filter(Boolean);
    const numbers = pieces.map((piece) => Number(piece));
    const wrong = pieces[numbers.findIndex((number) => !Number.isFinite(number) || number < 0)];
    if (wrong !== undefined) return setProblem(`“${wrong}” is no number from 0 on`);
    setProblem("");
    session.edit(path, numbers);
  };
  return (
    <Popover
      label={field.label}
      trigger={
        <button type="button" className={`chip ${value.length ? "tabular" : ""}`}>
          {value.length ? `with weights ${written}` : (field.optional ?? "none")}
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={value.length > 0}
        onReset={() => session.edit(path, [])}
      />
      <input
        aria-label={field.label}
        key={written}
        placeholder="3 1 1"
        className="tabular w-full rounded border border-line bg-panel px-1.5 py-1 focus:border-ice focus:outline-none"
        defaultValue={written}
        onBlur={(event) => event.target.value.trim() !== written && take(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      <p className={`mt-1 text-xs ${problem ? "text-ember" : "text-soft"}`}>
        {problem || "One for each, with spaces between; empty for equal chances."}
      </p>
    </Popover>
  );
}
