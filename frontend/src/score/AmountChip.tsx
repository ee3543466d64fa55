/** A value that may vary: read as words, edited as any kind of amount, with the distribution of what it is compared to. */

import { useRef, type RefObject } from "react";
import type { FieldInfo } from "@/api/client";
import { kindOf, made, same, type Json, type Node, type Path } from "@/state/document";
import { keysOf } from "@/state/keys";
import { Popover } from "@/ui/controls";
import { inFrames, plain, withUnit } from "@/ui/numbers";
import { unmarked } from "@/ui/words";
import { Swatch } from "./Chip";
import { Distribution, ReachDistribution } from "./Distribution";
import {
  attributes,
  isColor,
  isWide,
  quantityRange,
  rangeOf,
  useScore,
  type Surroundings,
  type ValueRange,
} from "./context";
import { CurveEditor, curveWords } from "./CurveChip";
import { FormulaBox } from "./formula/FormulaChip";
import { EditorHead } from "./EditorHead";
import { NumberEditor, ValueEditor } from "./editors";
import { ChoiceChip, ReferenceChip } from "./references";
import { KindPicker } from "./KindPicker";
import { Sentence } from "./Sentence";
import { pieces, type Piece } from "./template";
import { spreadRange, within } from "./spreads";
import { told } from "./unsaid";
import { useSession } from "@/state/use";
import { storeAt } from "@/state/store";
import { exchange } from "@/state/exchanging";
import { cx } from "@/ui/cx";

export function AmountChip({ field, parent, path }: { field: FieldInfo; parent: Node; path: Path }) {
  const session = useSession();
  const score = useScore();
  const amount = parent[field.name] as Node;
  const range = rangeOf(field, parent, score);
  const compared = field.value_from === "quantity" && range.value === "number";
  const reaching = path[0] === "neighbourhoods" && path.length === 3;
  const written = amount.kind === "formula";
  const escapeRef = useRef<(() => boolean) | null>(null);
  return (
    <Popover
      label={field.label}
      wide={written ? "more" : compared || reaching}
      escapeRef={escapeRef}
      trigger={
        <button
          type="button"
          data-value
          className="chip tabular text-[12.5px]"
          aria-label={`${field.label}: ${inWords(amount, range, score)}`}
        >
          <Written amount={amount} range={range} score={score} />
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={!same(amount, field.default as Json)}
        onReset={() => session.edit(path, field.default as Json)}
      />
      {compared && <Distribution condition={parent} path={path.slice(0, -1)} unit={range.unit} />}
      {reaching && <ReachDistribution hood={parent} path={path.slice(0, -1)} />}
      <AmountEditor amount={amount} path={path} range={range} escapeRef={escapeRef} />
    </Popover>
  );
}

function Written({ amount, range, score }: { amount: Node; range: ValueRange; score: Surroundings }) {
  if (range.value !== "color") return <>{inWords(amount, range, score)}</>;
  const shown = (name: string) => (isColor(amount[name]) ? <Swatch color={amount[name] as number[]} /> : null);
  if (amount.kind === "fixed" && isColor(amount.value)) return shown("value");
  if (amount.kind === "spread")
    return (
      <>
        {shown("value")}± {plain(Number(amount.spread))}
      </>
    );
  if (amount.kind === "mapped")
    return (
      <>
        {shown("low")}→{shown("high")} by {quantityWords(amount.quantity as Node, score)}
      </>
    );
  if (amount.kind === "curve")
    return (
      <>
        {(keysOf(amount.curve) ?? []).slice(0, 5).map((key, index) => (
          <Swatch key={index} color={key.value as number[]} />
        ))}
        {overWords(amount, score)}
      </>
    );
  if (keysOf(amount.value)) return <>{inWords(amount, range, score)}</>;
  if (amount.kind === "noise" || amount.kind === "field")
    return (
      <>
        {shown("low")}→{shown("high")}{" "}
        {amount.kind === "noise" ? "by noise" : `by ${nameIn(score.effect.fields, amount.field)}`}
      </>
    );
  return <>{inWords(amount, range, score)}</>;
}

const nameIn = (items: Node[], id: Json | undefined): string =>
  String(items.find((item) => item.id === id)?.label ?? "?");

function overWords(amount: Node, { catalogue }: Surroundings): string {
  const field = kindOf(catalogue, "amount", "curve")?.fields.find((entry) => entry.name === "over");
  return ` over ${field?.words?.[String(amount.over)] ?? String(amount.over)}`;
}

export function quantityWords(
  quantity: Node,
  { catalogue, effect }: Pick<Surroundings, "catalogue" | "effect">,
): string {
  const info = kindOf(catalogue, "quantity", quantity?.kind);
  const attribute = effect.attributes.find((item) => item.id === quantity?.attribute)?.label ?? quantity?.attribute;
  return quantity?.kind === "attribute" ? String(attribute) : (info?.title ?? "?");
}

export function inWords(amount: Node, range: ValueRange, score: Surroundings): string {
  const { units } = score.catalogue;
  const fps = Number(score.effect.clock.frames_per_second);
  const one = (value: Json | undefined): string => {
    const keys = keysOf(value);
    if (keys) return `${one(keys[0]!.value)} … ${one(keys.at(-1)!.value)} over time`;
    return isColor(value)
      ? `(${value.map((entry) => plain(entry)).join(", ")})`
      : plain(Number(value ?? 0) * (range.unit === "share" ? 100 : 1));
  };
  const whole = (value: Json | undefined) =>
    range.value === "flag"
      ? Number(value ?? 0) >= 0.5
        ? "yes"
        : "no"
      : isColor(value)
        ? `${one(value)} ${units[range.unit] ?? ""}`.trim()
        : withUnit(Number(value ?? 0), range.unit, units, fps);
  const keys = keysOf(amount?.value);
  if (amount?.kind === "fixed" && keys) return `${one(keys[0]!.value)} … ${whole(keys.at(-1)!.value)} over time`;
  switch (amount?.kind) {
    case "fixed":
      return whole(amount.value);
    case "curve": {
      const unit = units[range.unit];
      return `${curveWords(keysOf(amount.curve) ?? [])}${unit ? ` ${unit}` : ""}${overWords(amount, score)}`;
    }
    case "noise":
      return `${one(amount.low)} … ${whole(amount.high)} by noise`;
    case "field":
      return `${one(amount.low)} … ${whole(amount.high)} by ${nameIn(score.effect.fields, amount.field)}`;
    case "dial":
      return `${nameIn(score.effect.dials, amount.dial)}${amount.factor === 1 ? "" : ` × ${plain(Number(amount.factor))}`}`;
    case "first":
      return `its first ${attributes(score.catalogue, score.effect).find((entry) => entry.id === amount.attribute)?.label ?? "value"}`;
    case "spread": {
      const around = [Number(amount.value), Number(amount.spread)];
      if (range.unit === "s" && inFrames(around, fps))
        return `${plain(around[0]! * fps)} ± ${plain(around[1]! * fps)} frames`;
      return `${one(amount.value)} ± ${withUnit(Number(amount.spread), range.unit, units)}`;
    }
    case "mapped":
      return `${one(amount.low)} … ${whole(amount.high)} by ${quantityWords(amount.quantity as Node, score)}`;
    default:
      return spelled(amount, score);
  }
}

/** An amount of a kind that nothing is said of here, read off its own sentence. */
function spelled(amount: Node, score: Surroundings): string {
  const info = kindOf(score.catalogue, "amount", amount?.kind);
  if (!info) return String(amount?.kind ?? "?");
  const said = (piece: Piece): string => {
    if ("words" in piece) return piece.words;
    if ("optional" in piece) return told(piece.fields, info, amount) ? piece.optional.map(said).join("") : "";
    const field = info.fields.find((entry) => entry.name === piece.field);
    const value = amount[piece.field];
    if (field?.type === "slot") return quantityWords(value as Node, score);
    if (field?.words) return field.words[String(value)] ?? String(value);
    const keys = keysOf(value);
    if (keys) return `${plain(Number(keys[0]!.value))} … ${plain(Number(keys.at(-1)!.value))} over time`;
    return typeof value === "number"
      ? plain(value)
      : isColor(value)
        ? `(${value.map((entry) => plain(entry)).join(", ")})`
        : String(value ?? "");
  };
  return pieces(info.sentence).map(said).join("");
}

/** The same editor wherever a value may vary. */
export function AmountEditor({
  amount,
  path,
  range,
  escapeRef,
}: {
  amount: Node;
  path: Path;
  range: ValueRange;
  /** Takes Escape before the box around does, where something in it has a use for that. */
  escapeRef: RefObject<(() => boolean) | null>;
}) {
  const session = useSession();
  const { catalogue, effect } = useScore();
  const kinds = catalogue.slots.amount ?? [];
  const info = kinds.find((kind) => kind.kind === amount.kind);
  const box = useRef<HTMLDivElement>(null);
  const values = (node: Node): Json => {
    const keys = keysOf(node.curve) ?? keysOf(node.value);
    // Of a curve its largest value, so that switching kinds keeps something that can be seen.
    if (keys)
      return [...keys]
        .sort((a, b) => Number(Array.isArray(a.value) ? 0 : a.value) - Number(Array.isArray(b.value) ? 0 : b.value))
        .at(-1)!.value as Json;
    return node.value ?? node.high ?? (isWide(range) ? [0, 0, 0] : 0);
  };
  const change = (kind: string) => {
    if (kind === amount.kind) return;
    const focus = () => setTimeout(() => box.current?.querySelector<HTMLElement>("[data-hop]")?.focus());
    void exchange(session, path, kind).then((done) => done && focus());
  };
  /** A value and its spread, typed at once. */
  const spreadTo = (value: number, spread: number): string => {
    if (spread < 0) return "a spread is not below zero";
    if (range.low !== null && value - spread < range.low)
      return `with its spread it would be below ${plain(range.low)}`;
    if (range.high !== null && value + spread > range.high)
      return `with its spread it would be above ${plain(range.high)}`;
    const kind = kinds.find((entry) => entry.kind === "spread")!;
    const node = amount.kind === "spread" ? amount : made(kind, session.state.document, catalogue);
    session.edit(path, { ...node, value, spread });
    return "";
  };
  /** A value beyond which its spread would reach: the spread goes with it, in proportion. */
  const beyond = (value: number): string => {
    const [present, spread] = [Number(amount.value), Number(amount.spread)];
    const kept = present === 0 ? 0 : Number(Math.abs((spread * value) / present).toPrecision(6));
    const why = spreadTo(value, kept);
    if (!why)
      session.set({
        hint: `Its spread went with it, in proportion: ± ${withUnit(kept, range.unit, catalogue.units)}.`,
      });
    return why;
  };
  const spreads = amount.kind === "spread" && typeof amount.value === "number" && typeof amount.spread === "number";
  return (
    <div ref={box} className="space-y-1.5">
      {info?.fields.map((field) => {
        const inner = [...path, field.name];
        const value = amount[field.name] ?? null;
        if (field.type === "slot") {
          const quantity = kindOf(catalogue, "quantity", (value as Node)?.kind);
          return (
            <Row key={field.name} label={field.label}>
              {quantity && (
                <Sentence
                  info={quantity}
                  node={value as Node}
                  path={inner}
                  wrapWords={(words) => (
                    <KindPicker
                      slot="quantity"
                      path={inner}
                      label={field.label}
                      words={words}
                      present={quantity.kind}
                      node={value as Node}
                    />
                  )}
                  whole
                />
              )}
            </Row>
          );
        }
        if (field.type === "reference")
          return (
            <Row key={field.name} label={field.label}>
              <ReferenceChip field={field} value={value as string | null} path={inner} />
            </Row>
          );
        if (field.type === "formula")
          return <FormulaBox key={field.name} field={field} value={String(value)} path={inner} escapeRef={escapeRef} />;
        if (field.type === "curve")
          return <CurveEditor key={field.name} value={value} over={String(amount.over)} path={inner} range={range} />;
        if (field.type === "choice")
          return (
            <Row key={field.name} label={field.label}>
              <ChoiceChip field={field} value={String(value)} path={inner} />
            </Row>
          );
        const followed = amount.quantity ? quantityRange(amount.quantity as Node, catalogue, effect) : null;
        if (field.type === "whole")
          return (
            <Row key={field.name} label={field.label}>
              <NumberEditor
                value={Number(value)}
                store={storeAt(session, inner)}
                label={field.label}
                unit=""
                low={0}
                high={2 ** 31 - 1}
                soft={[0, 100]}
                whole
                typedOnly
              />
            </Row>
          );
        const own: ValueRange =
          field.type === "value"
            ? within(range, amount)
            : followed && field.unit_from
              ? { ...followed, low: null, high: null }
              : spreadRange(field, range, values(amount));
        // A spread in percent is one of the value around which it spreads.
        const around = values(amount);
        const base = field.name === "spread" && typeof around === "number" ? Math.abs(around) : undefined;
        return (
          <div key={field.name}>
            <ValueEditor
              value={value}
              path={inner}
              label={field.label}
              range={own}
              base={base}
              heading={info.fields.length > 1 || field.type !== "value" ? field.label : undefined}
              onSpread={field.type === "value" && range.value === "number" ? spreadTo : undefined}
              onBeyond={field.type === "value" && spreads ? beyond : undefined}
            />
          </div>
        );
      })}
      <div className="flex flex-wrap gap-x-1 border-t border-line pt-1.5" role="group" aria-label="How it varies">
        {kinds
          .filter((kind) => !kind.single || !isWide(range))
          .map((kind) => (
            <button
              key={kind.kind}
              type="button"
              aria-pressed={kind.kind === amount.kind}
              title={unmarked(kind.help)}
              onClick={() => change(kind.kind)}
              className={cx(
                "h-6 rounded px-2 text-xs",
                `${kind.kind === amount.kind ? "bg-ice/15 text-ice" : "text-soft hover:bg-panel hover:text-text"}`,
              )}
            >
              {kind.title}
            </button>
          ))}
      </div>
    </div>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-3">
      <span className="text-xs text-soft">{label}</span>
      <span>{children}</span>
    </div>
  );
}
