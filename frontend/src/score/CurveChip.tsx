/** A curve inside a sentence, and its editor: values over life, age or time. */

import type { FieldInfo } from "@/api/client";
import type { Json, Node, Path } from "@/state/document";
import { curve, keysOf, type Key } from "@/state/keys";
import { Popover } from "@/ui/controls";
import { CurveGraph } from "@/ui/CurveGraph";
import { plain } from "@/ui/numbers";
import { isWide, useScore, type ValueRange } from "./context";
import { useSession } from "@/state/use";
import { storeAt } from "@/state/store";

export function CurveEditor({
  value,
  over,
  path,
  range,
}: {
  value: Json;
  over: string;
  path: Path;
  range: ValueRange;
}) {
  const session = useSession();
  const { effect, catalogue } = useScore();
  const keys = keysOf(value);
  if (!keys) return null;
  const store = storeAt(session, path);
  const last = keys.at(-1)!.at;
  const to = over === "life" ? 1 : Math.max(over === "time" ? Number(effect.clock.duration) : 2, last);
  return (
    <CurveGraph
      keys={keys}
      from={0}
      to={to}
      value={range.value === "color" ? "color" : isWide(range) ? "vector" : "number"}
      unit={catalogue.units[range.unit] ?? ""}
      code={range.unit}
      low={range.low}
      high={range.high}
      along={over === "life" ? "share" : "time"}
      framesPerSecond={Number(effect.clock.frames_per_second)}
      height={130}
      onTry={(next) => store.try(curve(next))}
      onCommit={(next) => store.commit(curve(next))}
    />
  );
}

export function CurveChip({ field, parent, path }: { field: FieldInfo; parent: Node; path: Path }) {
  const value = parent[field.name] as Json;
  const keys = keysOf(value) ?? [];
  const wide = Array.isArray(keys[0]?.value);
  const range: ValueRange = { value: wide ? "color" : "number", unit: "", low: null, high: null, soft: [0, 1] };
  return (
    <Popover
      label={field.label}
      wide
      trigger={
        <button type="button" className="chip">
          {curveWords(keys)}
        </button>
      }
    >
      <CurveEditor
        value={value}
        over={field.along === "share" ? "life" : String(parent[field.along ?? ""] ?? "life")}
        path={path}
        range={range}
      />
    </Popover>
  );
}

/** The course of a curve in a few numbers. */
export function curveWords(keys: readonly Key[]): string {
  if (keys.some((key) => Array.isArray(key.value))) return `${keys.length} colours`;
  const numbers = keys.map((key) => plain(Number(key.value)));
  const shown = numbers.length > 4 ? [numbers[0], "…", numbers.at(-1)] : numbers;
  return shown.join(" → ");
}
