/** What one has chosen for this browser: tone, keys, sizes of panels, which hints were seen. Kept in its own storage. */

import type { OwnChart } from "@/charts/own";
import { createStore, type StoreApi } from "zustand/vanilla";

export interface Preferences {
  tone: "dark" | "light";
  /** Keys that were changed, by the name of the command; an empty one is switched off. */
  keys: Record<string, string>;
  /** Whether single keys work at all. */
  singleKeys: boolean;
  /** Sizes of panels in pixels; 0: as the window has room. */
  scoreWidth: number;
  lensWidth: number;
  /** Parts of the score that are folded. */
  folded: string[];
  /** Whether the hints of the first visit were seen. */
  welcomed: boolean;
  /** How often kinds were chosen, to show those used most first. */
  used: Record<string, number>;
  /** Remembered points of view, by effect. */
  bookmarks: Record<string, { name: string; position: number[]; target: number[] }[]>;
  /** Columns of the table and whom it shows, by effect. */
  tables: Record<string, { columns: string[]; where: string }>;
  /** Particles that were remembered together, by effect. */
  selections: Record<string, { name: string; ids: number[] }[]>;
  /** Charts that were asked for, by effect. */
  charts: Record<string, OwnChart[]>;
}

const NAME = "hailridge";
const FIRST: Preferences = {
  tone: "dark",
  keys: {},
  singleKeys: true,
  scoreWidth: 0,
  lensWidth: 320,
  folded: [],
  welcomed: false,
  used: {},
  bookmarks: {},
  tables: {},
  selections: {},
  charts: {},
};

export function preferences(storage: Storage = localStorage): StoreApi<Preferences> {
  let kept: Partial<Preferences> = {};
  try {
    kept = JSON.parse(storage.getItem(NAME) ?? "{}") as Partial<Preferences>;
  } catch {
    // Unreadable: begin anew.
  }
  const store = createStore<Preferences>()(() => ({ ...FIRST, ...kept }));
  const show = ({ tone }: Preferences) => (document.documentElement.dataset.tone = tone);
  show(store.getState());
  store.subscribe((state) => {
    show(state);
    try {
      storage.setItem(NAME, JSON.stringify(state));
    } catch {
      // Full: it is kept for this page's life only.
    }
  });
  return store;
}
