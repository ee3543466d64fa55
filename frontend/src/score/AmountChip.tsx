/** A value that may vary: read as words, edited as any kind of amount, with the distribution of what it is compared to. */

import type { FieldInfo } from "@/api/client";
import { kindOf, made, same, type Json, type Node, type Path } from "@/state/document";
import { edit } from "@/state/studio";
import { Popover } from "@/ui/controls";
import { plain, withUnit } from "@/ui/numbers";
import { unmarked } from "@/ui/words";
import { Swatch } from "./Chip";
import { Distribution } from "./Distribution";
import { isColor, quantityRange, rangeOf, useScore, type Surroundings, type ValueRange } from "./context";
import { EditorHead, NumberEditor, ValueEditor } from "./editors";
import { ChoiceChip } from "./references";
import { KindPicker } from "./KindPicker";
import { Sentence } from "./Sentence";

export function AmountChip({ field, parent, path }: { field: FieldInfo; parent: Node; path: Path }) {
  const score = useScore();
  const amount = parent[field.name] as Node;
  const range = rangeOf(field, parent, score);
  const compared = field.value_from === "quantity" && range.value === "number";
  return (
    <Popover
      label={field.label}
      wide={compared}
      trigger={
        <button type="button" className="chip tabular text-[12.5px]" aria-label={`${field.label}: ${inWords(amount, range, score)}`}>
          <Written amount={amount} range={range} score={score} />
        </button>
      }
    >
      <EditorHead label={field.label} help={field.help} changed={!same(amount, field.default as Json)} onReset={() => edit(path, field.default as Json)} />
      {compared && <Distribution quantity={parent.quantity as Node} comparison={String(parent.comparison ?? "above")} threshold={amount} path={path} unit={range.unit} />}
      <AmountEditor amount={amount} path={path} range={range} />
    </Popover>
  );
}

function Written({ amount, range, score }: { amount: Node; range: ValueRange; score: Surroundings }) {
  if (range.value !== "color") return <>{inWords(amount, range, score)}</>;
  const shown = (name: string) => (isColor(amount[name]) ? <Swatch color={amount[name] as number[]} /> : null);
  if (amount.kind === "fixed") return shown("value");
  if (amount.kind === "spread") return <>{shown("value")}± {plain(Number(amount.spread))}</>;
  if (amount.kind === "mapped") return <>{shown("low")}→{shown("high")} by {quantityWords(amount.quantity as Node, score)}</>;
  return <>{shown("birth")}→{shown("middle")}→{shown("end")}over its life</>;
}

export function quantityWords(quantity: Node, { catalogue, effect }: Pick<Surroundings, "catalogue" | "effect">): string {
  const info = kindOf(catalogue, "quantity", quantity?.kind);
  const attribute = effect.attributes.find((item) => item.id === quantity?.attribute)?.label ?? quantity?.attribute;
  return quantity?.kind === "attribute" ? String(attribute) : (info?.title ?? "?");
}

export function inWords(amount: Node, range: ValueRange, score: Surroundings): string {
  const { units } = score.catalogue;
  const one = (value: Json | undefined) =>
    isColor(value) ? `(${value.map((entry) => plain(entry)).join(", ")})` : plain(Number(value ?? 0) * (range.unit === "share" ? 100 : 1));
  const whole = (value: Json | undefined) => (isColor(value) ? `${one(value)} ${units[range.unit] ?? ""}`.trim() : withUnit(Number(value ?? 0), range.unit, units));
  switch (amount?.kind) {
    case "fixed":
      return whole(amount.value);
    case "spread":
      return `${one(amount.value)} ± ${withUnit(Number(amount.spread), range.unit, units)}`;
    case "mapped":
      return `${one(amount.low)} … ${whole(amount.high)} by ${quantityWords(amount.quantity as Node, score)}`;
    case "over_life":
      return `${one(amount.birth)} → ${one(amount.middle)} → ${whole(amount.end)} over its life`;
    default:
      return "–";
  }
}

/** The same editor wherever a value may vary. */
export function AmountEditor({ amount, path, range }: { amount: Node; path: Path; range: ValueRange }) {
  const { catalogue, effect } = useScore();
  const kinds = catalogue.slots.amount ?? [];
  const info = kinds.find((kind) => kind.kind === amount.kind);
  const values = (node: Node): Json => node.value ?? node.high ?? node.middle ?? node.birth ?? 0;
  const change = (kind: string) => {
    const next = kinds.find((entry) => entry.kind === kind);
    if (!next || kind === amount.kind) return;
    const fresh = made(next, effect);
    const present = values(amount);
    for (const field of next.fields) if (field.type === "value") fresh[field.name] = present;
    if (kind === "spread" && typeof present === "number") fresh.spread = Math.abs(present) * 0.2 || 0.1;
    edit(path, fresh);
  };
  return (
    <div className="space-y-2.5">
      {info?.fields.map((field) => {
        const inner = [...path, field.name];
        const value = amount[field.name] ?? null;
        if (field.type === "slot") {
          const quantity = kindOf(catalogue, "quantity", (value as Node)?.kind);
          return (
            <Row key={field.name} label={field.label}>
              {quantity && <Sentence info={quantity} node={value as Node} path={inner} wrapWords={(words) => <KindPicker slot="quantity" path={inner} label={field.label} words={words} present={quantity.kind} />} />}
            </Row>
          );
        }
        if (field.type === "choice") return <Row key={field.name} label={field.label}><ChoiceChip field={field} value={String(value)} path={inner} /></Row>; // prettier-ignore
        const followed = amount.quantity ? quantityRange(amount.quantity as Node, catalogue, effect) : null;
        const own: ValueRange = field.type === "value" ? range : followed && (field.name === "start" || field.name === "end") ? { ...followed, low: null, high: null } : spreadRange(field, range, values(amount));
        return (
          <div key={field.name}>
            {(info.fields.length > 1 || field.type !== "value") && <div className="text-xs text-soft">{field.label}</div>}
            {field.type === "whole" ? (
              <NumberEditor value={Number(value)} path={inner} label={field.label} unit="" low={0} high={2 ** 31 - 1} soft={[0, 100]} whole />
            ) : (
              <ValueEditor value={value} path={inner} label={field.label} range={own} />
            )}
          </div>
        );
      })}
      <div className="flex flex-wrap gap-1 border-t border-line pt-2" role="group" aria-label="How it varies">
        {kinds.map((kind) => (
          <button
            key={kind.kind}
            type="button"
            aria-pressed={kind.kind === amount.kind}
            title={unmarked(kind.help)}
            onClick={() => change(kind.kind)}
            className={`rounded px-2 py-0.5 text-xs ${kind.kind === amount.kind ? "bg-ice/15 text-ice" : "text-soft hover:bg-panel hover:text-text"}`}
          >
            {kind.title}
          </button>
        ))}
      </div>
    </div>
  );
}

function spreadRange(field: FieldInfo, range: ValueRange, around: Json): ValueRange {
  const size = typeof around === "number" ? Math.abs(around) || 1 : 1;
  const soft: [number, number] = field.soft ? (field.soft as [number, number]) : [0, field.name === "spread" ? size : 1];
  return { value: "number", unit: field.name === "spread" && range.value === "number" ? range.unit : "", low: field.low ?? null, high: field.high ?? null, soft };
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-3">
      <span className="text-xs text-soft">{label}</span>
      <span>{children}</span>
    </div>
  );
}

