/** Finding kinds by whatever one would call them. */

import type { KindInfo } from "@/api/client";

/** Whether all words of a search are in what is said of a kind. */
export function matches(kind: KindInfo, search: string): boolean {
  const text = `${kind.title} ${kind.category} ${kind.also} ${kind.help}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
