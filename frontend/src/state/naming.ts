/** What attributes of one's own are called in formulas, as the model has it (`own_words`). */

import type { Catalogue } from "@/api/client";
import type { Attribute } from "./document";

const wordFor = (label: string): string =>
  label
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "");

/** The word by which a formula names an attribute: that of its label where it means nothing else, else that of its id. */
export function attributeWord(catalogue: Catalogue, attributes: readonly Attribute[], index: number): string {
  const { id, label } = attributes[index]!;
  const word = wordFor(label);
  const others = attributes.filter((_other, at) => at !== index);
  const free =
    /^[a-z_]\w*$/.test(word) &&
    !catalogue.formula_words.includes(word) &&
    !others.some((other) => other.id.replaceAll("-", "_") === word) &&
    !attributes.slice(0, index).some((other) => wordFor(other.label) === word);
  return free ? word : id.replaceAll("-", "_");
}

/** A formula in which one word is another; what stands in quotes stays. */
export function reworded(text: string, before: string, after: string): string {
  const whole = new RegExp(`(?<![\\w.])${before}(?!\\w|\\s*\\()`, "g");
  return text.replace(/("[^"\n]*"|'[^'\n]*')|[^"']+|["']/g, (piece, quoted: string | undefined) =>
    quoted === undefined ? piece.replace(whole, after) : quoted,
  );
}
