/** What every chip needs to know of its surroundings. */

import { createContext, useContext } from "react";
import type { AttributeInfo, Catalogue, FieldInfo } from "@/api/client";
import { kindOf, type Attribute, type Json, type Node } from "@/state/document";
import type { Declared } from "./declared";

export interface Surroundings {
  catalogue: Catalogue;
  /** What sentences say of other parts of the document. */
  effect: Declared;
  meshes: { id: string; name: string; triangles: number }[];
}

/** What the rule around a chip adds. */
export interface RuleAround {
  /** Groups of the rule, for histograms and highlights. */
  who: string[];
  /** Whether one has turned to it. */
  selected?: boolean;
  /** Its trigger: a contact rule's quantities are read at contacts. */
  trigger: string;
}

/** For how many each condition of the rule around holds by itself, now and over time, and why it holds for nobody: where that
 * was asked for. Apart from the rest, so that it can change without the rule's sentence rendering. */
export interface Explained {
  branches: Branch[] | null;
  curves: BranchCurves | null;
  text: string | null;
}

export interface Branch {
  path: (string | number)[];
  holds: number;
  of: number;
}

export interface BranchCurves {
  frames: number[];
  curves: { path: (string | number)[]; holds: number[] }[];
}

export const ScoreContext = createContext<Surroundings | null>(null);

const ALONE: RuleAround = { who: [], trigger: "each" };
export const RuleContext = createContext<RuleAround>(ALONE);
export const useRuleAround = (): RuleAround => useContext(RuleContext);

const UNASKED: Explained = { branches: null, curves: null, text: null };
export const ExplainedContext = createContext<Explained>(UNASKED);
export const useExplained = (): Explained => useContext(ExplainedContext);

export function useScore(): Surroundings {
  const surroundings = useContext(ScoreContext);
  if (!surroundings) throw new Error("a chip stands outside of the score");
  return surroundings;
}

export interface ValueRange {
  value: "number" | "whole" | "flag" | "color" | "vector" | "orientation";
  unit: string;
  low: number | null;
  high: number | null;
  soft: [number, number];
  perFrame?: string | null;
}

/** Built-in attributes and the effect's own, as one list. */
export function attributes(catalogue: Catalogue, effect: Declared): AttributeInfo[] {
  return [...catalogue.attributes, ...effect.attributes.map((item) => ownAttribute(item, catalogue))];
}

/** An attribute that the effect declares, as the built-in ones are listed. */
function ownAttribute(item: Node | Attribute, catalogue: Catalogue): AttributeInfo {
  const like = catalogue.own_attributes[String(item.type ?? "number")]!;
  const limited = item.limited && (item.type === "number" || item.type === "whole");
  const ends = limited
    ? { low: Number(item.low), high: Number(item.high), soft: [Number(item.low), Number(item.high)] }
    : {};
  const unit = item.type === "number" || item.type === "vector" ? String(item.unit ?? "") : like.unit;
  return { ...like, id: String(item.id), label: String(item.label), unit, ...ends };
}

const rangeLike = (info: AttributeInfo): ValueRange => ({
  value: info.value_type as ValueRange["value"],
  unit: info.unit,
  low: info.low ?? null,
  high: info.high ?? null,
  soft: info.soft as [number, number],
});

/** Unit, type and limits of an amount: its own, or those of the attribute or quantity that its field follows. */
export function rangeOf(field: FieldInfo, parent: Node, { catalogue, effect }: Surroundings): ValueRange {
  const soft = (field.soft ?? [0, 1]) as [number, number];
  const own: ValueRange = {
    value: (field.value ?? "number") as ValueRange["value"],
    unit: field.unit ?? "",
    low: field.low ?? null,
    high: field.high ?? null,
    soft,
    perFrame: field.per_frame,
  };
  if (field.value_from === "attribute") {
    const info = attributes(catalogue, effect).find((entry) => entry.id === parent.attribute);
    if (info) {
      const range = rangeLike(info);
      return field.value === "change"
        ? { ...range, low: null, high: null, soft: [-range.soft[1], range.soft[1]] }
        : range;
    }
  }
  if (field.value_from === "type") return rangeLike(ownAttribute(parent, catalogue));
  if (field.value_from === "quantity") return quantityRange(parent.quantity as Node, catalogue, effect);
  return own;
}

/** A field as it is declared where its siblings are as they are: other words for another manner, the unit of the
 * quantity that it follows. */
export function fieldNow(field: FieldInfo, parent: Node, catalogue: Catalogue, effect: Declared): FieldInfo {
  let now = field;
  for (const [sibling, cases] of Object.entries(field.variants ?? {}))
    now = { ...now, ...(cases[String(parent[sibling])] as Partial<FieldInfo> | undefined) };
  if (field.type === "value" && typeof parent.type === "string") now = { ...now, ...ofDial(field, parent) };
  if (field.unit_from) {
    const range = quantityRange(parent[field.unit_from] as Node, catalogue, effect);
    const [low, high] = range.soft;
    now = {
      ...now,
      unit: range.unit,
      soft: field.suggest === "band" ? [(high - low) / 100, (high - low) / 2] : range.soft,
    };
  }
  return now;
}

/** A dial's value, as its type, unit, range and default have it. */
function ofDial(field: FieldInfo, { type, unit, limited, low, high, standard, value }: Node): Partial<FieldInfo> {
  const within = limited === true && type !== "color";
  return {
    type: type as FieldInfo["type"],
    unit: type === "color" ? "" : String(unit ?? ""),
    low: within ? Number(low) : null,
    high: within ? Number(high) : null,
    soft: within ? [Number(low), Number(high)] : null,
    // Without a default of its own there is nothing that it could go back to.
    default: field.name === "value" ? (standard ?? value) : field.default,
  };
}

/** Whether a field means anything where its siblings are as they are. */
export const offered = (field: FieldInfo, node: Node): boolean =>
  Object.entries(field.only_where ?? {}).every(([name, values]) => values.includes(String(node[name])));

export function quantityRange(quantity: Node | undefined, catalogue: Catalogue, effect: Declared): ValueRange {
  if (quantity?.kind === "attribute") {
    const info = attributes(catalogue, effect).find((entry) => entry.id === quantity.attribute);
    return {
      value: "number",
      unit: info?.unit ?? "",
      low: null,
      high: null,
      soft: (info?.soft ?? [0, 1]) as [number, number],
    };
  }
  const info = kindOf(catalogue, "quantity", quantity?.kind);
  return {
    value: "number",
    unit: info?.unit ?? "",
    low: null,
    high: null,
    soft: (info?.soft ?? [0, 1]) as [number, number],
  };
}

/** Whether a value there is three numbers. */
export const isWide = (range: ValueRange): boolean => ["color", "vector", "orientation"].includes(range.value);

export const isColor = (value: Json | undefined): value is number[] => Array.isArray(value) && value.length === 3;
