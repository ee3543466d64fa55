/** Finding by words, the same wherever something is searched: the exact words of a name first, then names that begin so, then
 * words within them that begin so, then other words for it, then what is said of it. Never a piece inside another word. */

import { matchSorter, rankings, type KeyOption } from "match-sorter";

/** What something is found by. */
export interface Words {
  /** What it is called. */
  name: string;
  /** What it is called elsewhere, as in formulas: counts where it is typed as it is. */
  alias?: string;
  /** Other words for it. */
  also?: string;
  /** What is said of it. */
  help?: string;
  /** What it belongs to: counts together with words of its own, and all but its exact name comes behind what belongs to nothing. */
  around?: string;
}

/** Words that say nothing by themselves. */
const FILLERS = new Set("a an and at by for if in is it its of the their to when with".split(" "));

const wordsOf = (text = ""): string[] => text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
/** Words as they are compared: an article before them says nothing. */
const plain = (text?: string): string =>
  wordsOf(text)
    .join(" ")
    .replace(/^(an?|the|its) (?=.)/, "");
const begins = (text: string | undefined, word: string): boolean => wordsOf(text).some((part) => part.startsWith(word));

interface Known<T> {
  item: T;
  words: Words;
}

const { WORD_STARTS_WITH } = rankings;

/** By what something is found that was typed as `by`, the nearest first; all behind the names fit equally well, however well they do. */
function keysOf<T>(by: string): KeyOption<Known<T>>[] {
  const own = (text: string | undefined, { around }: Words) => (around ? "" : plain(text));
  const about = (text: string | undefined, { around }: Words) => (around ? plain(text) : "");
  const names = { threshold: WORD_STARTS_WITH };
  const behind = { threshold: WORD_STARTS_WITH, maxRanking: WORD_STARTS_WITH };
  return [
    { key: ({ words }) => own(words.name, words), ...names },
    { key: ({ words }) => [about(words.name, words), plain(words.alias)].filter((text) => text === by), ...names },
    { key: ({ words }) => wordsOf(words.also).filter((word) => word === by), ...behind },
    { key: ({ words }) => about(words.name, words), ...behind },
    { key: ({ words }) => plain(words.also), ...behind },
    { key: ({ words }) => plain(words.help), ...behind },
  ];
}

/** What fits, the best first; of what fits as well as another, what comes first in the list. */
export function sought<T>(items: readonly T[], typed: string, of: (item: T) => Words): T[] {
  const words = wordsOf(typed);
  if (words.length === 0) return [...items];
  const known: Known<T>[] = items.map((item) => ({ item, words: of(item) }));
  const sorted = (list: Known<T>[], by: string, more: KeyOption<Known<T>>[] = []) =>
    matchSorter(list, by, { keys: [...keysOf<T>(by), ...more], baseSort: (one, other) => one.index - other.index });
  const telling = words.filter((word) => !FILLERS.has(word));
  const single = telling.length ? telling : words;
  // As it was typed; then word by word, the first of them counting most.
  const whole = sorted(known, plain(typed));
  const around: KeyOption<Known<T>> = { key: ({ words }) => plain(words.around), threshold: WORD_STARTS_WITH };
  const told = ({ words: { name, also, around } }: Known<T>) =>
    !around || single.some((word) => !begins(around, word) && begins(`${name} ${also ?? ""}`, word));
  const apart = single.reduceRight((left, word) => sorted(left, word, [around]), known).filter(told);
  return [...new Set([...whole, ...apart])].map(({ item }) => item);
}
