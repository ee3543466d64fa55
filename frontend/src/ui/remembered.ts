/** Entries of a menu for what was remembered by name: to come back to each, and to forget it. */

import type { MenuEntry } from "./Menu";

interface Ways<T> {
  heading: string;
  go: (entry: T) => void;
  put: (list: T[]) => void;
  hint?: (entry: T) => string;
}

export const remembered = <T extends { name: string }>(list: T[], { heading, go, put, hint }: Ways<T>): MenuEntry[] => [
  ...list.map((entry) => ({ label: entry.name, hint: hint?.(entry), heading, onSelect: () => go(entry) })),
  ...list.map((entry) => ({
    label: `Forget ${entry.name}`,
    heading: "Forget",
    onSelect: () => put(list.filter((other) => other !== entry)),
  })),
];
