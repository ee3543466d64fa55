/** Finding an effect among hundreds: words to look for, and an order. */

import type { EffectSummary } from "@/api/client";

export const ORDERS = { changed: "Latest changed first", name: "By name", demos: "Demo effects first" } as const;
export type Order = keyof typeof ORDERS;

const plain = (text: string): string => text.normalize("NFD").replaceAll(/\p{M}/gu, "").toLowerCase();

/** Those whose name or summary holds every word, accents and case aside; names that begin with the words come first. */
export function found(effects: readonly EffectSummary[], words: string, order: Order): EffectSummary[] {
  const wanted = plain(words).split(/\s+/).filter(Boolean);
  const kept = effects.filter((effect) => {
    const text = plain(`${effect.name} ${effect.summary}`);
    return wanted.every((word) => text.includes(word));
  });
  const byName = (a: EffectSummary, b: EffectSummary) => a.name.localeCompare(b.name, "en", { numeric: true });
  if (order === "name") kept.sort(byName);
  if (order === "demos") kept.sort((a, b) => Number(b.demo) - Number(a.demo) || byName(a, b));
  const first = (effect: EffectSummary) => Number(wanted.length > 0 && plain(effect.name).startsWith(wanted[0]!));
  return wanted.length ? kept.sort((a, b) => first(b) - first(a)) : kept;
}
