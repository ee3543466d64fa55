/** Rules are numbered as they are read, which is the order in which they are computed: by the part of a step, then from top to bottom. */

import type { Catalogue } from "@/api/client";
import type { Rule } from "@/state/document";
import { standOf } from "./standing";

/** The part of a step in which a rule acts: an index into the catalogue's parts. */
export function partOf(rule: Rule, catalogue: Catalogue): number {
  const place = standOf(rule, catalogue);
  return catalogue.parts_of_a_step.findIndex((places) => places.includes(place));
}

export function ruleNumbers(rules: readonly Rule[], catalogue: Catalogue): number[] {
  const order = rules
    .map((rule, index) => [partOf(rule, catalogue), index] as const)
    .sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const numbers: number[] = [];
  order.forEach(([, index], place) => (numbers[index] = place + 1));
  return numbers;
}

/** What a rule is called where its name stands alone: its number, and its label where it has one. */
export function ruleName(rules: readonly Rule[], index: number, catalogue: Catalogue): string {
  return `${ruleNumbers(rules, catalogue)[index] ?? index + 1} ${rules[index]?.label || "rule"}`;
}
