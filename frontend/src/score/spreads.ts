/** What a value and its spread leave each other of the limits that both have to keep within. */

import type { FieldInfo } from "@/api/client";
import type { Json, Node } from "@/state/document";
import { keysOf } from "@/state/keys";
import { isWide, type ValueRange } from "./context";

/** What a value may be so that its spread stays within the limits too. */
export function within(range: ValueRange, amount: Node): ValueRange {
  if (amount.kind !== "spread" || isWide(range)) return range;
  const spread = Number(keysOf(amount.spread)?.[0]?.value ?? amount.spread ?? 0);
  return {
    ...range,
    low: range.low === null ? null : range.low + spread,
    high: range.high === null ? null : range.high - spread,
  };
}

/** The widest spread that keeps within the limits of its value. */
function widest(range: ValueRange, around: Json): number | null {
  if (isWide(range) || typeof around !== "number") return null;
  const room = Math.min(
    range.low === null ? Infinity : around - range.low,
    range.high === null ? Infinity : range.high - around,
  );
  return Number.isFinite(room) ? Math.max(0, room) : null;
}

/** What a field of an amount may be: its own limits, or those that the value around which it spreads leaves. */
export function spreadRange(field: FieldInfo, range: ValueRange, around: Json): ValueRange {
  if (field.unit)
    return {
      value: "number",
      unit: field.unit,
      low: field.low ?? null,
      high: field.high ?? null,
      soft: (field.soft ?? [0, 1]) as [number, number],
    };
  const size = typeof around === "number" ? Math.abs(around) || 1 : 1;
  const soft: [number, number] = field.soft
    ? (field.soft as [number, number])
    : [0, field.name === "spread" ? size : 1];
  return {
    value: "number",
    unit: field.name === "spread" && !isWide(range) ? range.unit : "",
    low: field.low ?? null,
    high: field.name === "spread" ? widest(range, around) : (field.high ?? null),
    soft,
  };
}
