/** Where rules and their actions stand in a step: what the catalogue says of triggers, read in one place. */

import type { Catalogue } from "@/api/client";
import type { Effect, Path, Rule } from "@/state/document";

/** Where a rule's actions stand, by its trigger. */
export const standOf = (rule: Rule, catalogue: Catalogue): string => catalogue.trigger_places[rule.trigger] ?? "step";

/** Where an action in this list, or at a place in it, stands: by its rule's trigger, and whether it is in an otherwise. */
export function placesOf(effect: Effect, catalogue: Catalogue, path: Path): string[] {
  const rule = path[0] === "rules" ? effect.rules[Number(path[1])] : null;
  const stands = rule ? standOf(rule, catalogue) : "birth";
  return path[2] === "otherwise" ? [stands, "otherwise"] : [stands];
}
