/** The state of one open effect: the document with its history, what is selected, where the playhead is. */

import { create } from "zustand";
import { answered, api, type Catalogue, type TrialInfo } from "@/api/client";
import type { LayerData } from "@/stage/drawing/data";
import { identified, same, withValue, type Effect, type Json, type Node, type Path } from "./document";
import { disagree, enqueue, goOn, onSaving, revisionOf, settled, TAB, tryAgain, unsaved, type Saving } from "./saving";

/** Numbers by the id of what they are about: groups, or rules. */
export type Counts = Readonly<Record<string, number>>;

export interface FrameStats {
  frame: number;
  time: number;
  count: number;
  population: Counts;
  looked: Counts;
  held: Counts;
  acted: Counts;
  births: number;
  deaths: number;
}

export interface Highlight {
  /** What is ringed, told beside the stage. */
  label: string;
  condition: Node | null;
  /** Where the condition stands, so that amounts that vary by particle mean the same as in the run. */
  path: Path;
  who: string[];
  /** Those for whom it does not hold. */
  otherwise?: boolean;
  /** Pinned stays when the pointer leaves. */
  pinned: boolean;
  key: string;
}

export type LensTab = "probe" | "charts" | "advisories" | "guide";

interface Studio {
  id: string | null;
  revision: number;
  document: Effect | null;
  /** The document as last committed; differs from `document` only while a value is dragged. */
  committed: Effect | null;
  past: Effect[];
  future: Effect[];
  saving: Saving;
  catalogue: Catalogue | null;
  trial: TrialInfo | null;
  stats: FrameStats[];
  /** Counts of the run before, shown behind until the present run has got as far. */
  stale: FrameStats[];
  /** Frames between which playing goes round; null is all. */
  range: [number, number] | null;
  /** Whether a value that is dragged acts only from the frame on screen on. */
  onward: boolean;
  /** What the handles of the chosen shape do. */
  handles: "move" | "turn" | "scale";
  /** The keyframed number whose curve is open under the clock. */
  track: Path | null;
  refusal: string | null;
  /** Something that could not be done, told for a moment beside the stage. */
  hint: string | null;
  frame: number;
  playing: boolean;
  loop: boolean;
  selected: Path | null;
  particle: number | null;
  highlight: Highlight | null;
  /** Those ringed: `left` are drawn where they left, `turn` says that it is the record of a rule's turn in the step. */
  highlighted: { ids: Set<number>; of: number; turn: boolean; left: LayerData | null } | null;
  lens: LensTab;
  lensOpen: boolean;
  guidePage: string | null;
  /** Rules that alone are run, to look at them by themselves; none means all. The document does not know of it. */
  solo: string[];
  /** Groups that the stage does not draw. */
  hidden: string[];
  /** Whether the stage draws everybody in the colour of their group. */
  byGroup: boolean;
  /** Whether the stage shows the finished picture. */
  picturing: boolean;
  set: (change: Partial<Studio>) => void;
}

export const useStudio = create<Studio>()((set) => ({
  id: null,
  revision: 0,
  document: null,
  committed: null,
  past: [],
  future: [],
  saving: { state: "saved" },
  catalogue: null,
  trial: null,
  stats: [],
  stale: [],
  range: null,
  onward: false,
  handles: "move",
  track: null,
  refusal: null,
  hint: null,
  frame: 0,
  playing: false,
  loop: true,
  selected: null,
  particle: null,
  highlight: null,
  highlighted: null,
  lens: "probe",
  lensOpen: true,
  guidePage: null,
  solo: [],
  hidden: [],
  byGroup: false,
  picturing: false,
  set: (change) => set(change),
}));

const { getState: get, setState: set } = useStudio;

const HISTORY = 300;

/** Listeners told when there is a new document to compute: `live` while a value is dragged. */
const watchers = new Set<(document: Effect, live: boolean) => void>();
export function onDocument(watcher: (document: Effect, live: boolean) => void): () => void {
  watchers.add(watcher);
  return () => void watchers.delete(watcher);
}

const announce = (document: Effect, live: boolean): void => watchers.forEach((watcher) => watcher(document, live));

const ELSEWHERE = "This effect was changed elsewhere. Nothing of yours is lost: take the other version, or keep yours.";

export async function open(id: string): Promise<void> {
  // What is still being saved of it is waited for: else the old document would come back and later be stored over the new one.
  await settled(id);
  const effect = await answered(api.GET("/api/effects/{effect_id}", { params: { path: { effect_id: id } } }));
  const stored = effect.document as unknown as Effect;
  const left = unsaved(id, { revision: effect.revision, document: stored });
  const document = left?.document ?? stored;
  const playhead = Number(sessionStorage.getItem(`playhead ${id}`) ?? 0);
  set({
    id,
    revision: effect.revision,
    document,
    committed: document,
    past: [],
    future: [],
    saving: { state: "saved" },
    trial: null,
    stats: [],
    stale: [],
    range: null,
    track: null,
    refusal: null,
    frame: playhead,
    playing: false,
    selected: null,
    particle: null,
    highlight: null,
    highlighted: null,
    solo: [],
    hidden: [],
    picturing: false,
    hint: null,
  });
  goOn(id, effect.revision, left && !left.conflict ? document : null);
  if (left?.conflict) disagree(id, ELSEWHERE);
  announce(document, false);
}

onSaving((id, saving, revision) => {
  if (get().id === id) set({ saving, revision });
});

/** Another tab has saved this effect. */
export function savedElsewhere(id: string, revision: number, same_: number | null): void {
  const known = revisionOf(id);
  // Only a version was kept beside it: what is here is what is there.
  if (same_ !== null && same_ === known && get().saving.state === "saved") goOn(id, revision);
  else if (revision > known && get().saving.state === "saved") disagree(id, ELSEWHERE);
}

/** Change a value without committing: the stage follows, nothing is saved, undo does not see it. */
export function tryValue(path: Path, value: Json): void {
  const { document } = get();
  if (document) tryDocument(withValue(document, path, value));
}

export function tryDocument(next: Effect): void {
  set({ document: next });
  announce(next, true);
}

/** Change the document for good: one step of undo, saved at once. */
export function commit(changed: Effect): void {
  const { committed, past } = get();
  const next = identified(changed, committed ?? undefined);
  if (!committed || same(committed, next)) {
    set({ document: next });
    return;
  }
  set({
    document: next,
    committed: next,
    past: [...past.slice(-HISTORY), committed],
    future: [],
    frame: sameMoment(committed, next),
  });
  announce(next, false);
  save();
}

/** The playhead's frame after an edit: the same moment, also at another frame rate. */
function sameMoment(before: Effect, after: Effect): number {
  const [old, now] = [before, after].map((effect) => Number(effect.clock.frames_per_second)) as [number, number];
  const { frame } = get();
  return old === now || !(old > 0) ? frame : Math.max(0, Math.min(lastFrame(after), Math.round((frame / old) * now)));
}

export const edit = (path: Path, value: Json | undefined): void => {
  const { document } = get();
  if (document) commit(withValue(document, path, value));
};

export function undo(): void {
  const { past, future, committed } = get();
  const previous = past.at(-1);
  if (!previous || !committed) return;
  set({
    document: previous,
    committed: previous,
    past: past.slice(0, -1),
    future: [committed, ...future],
    frame: sameMoment(committed, previous),
  });
  announce(previous, false);
  save();
}

export function redo(): void {
  const { past, future, committed } = get();
  const next = future[0];
  if (!next || !committed) return;
  set({
    document: next,
    committed: next,
    past: [...past, committed],
    future: future.slice(1),
    frame: sameMoment(committed, next),
  });
  announce(next, false);
  save();
}

/** Save the committed document. */
export function save(): void {
  const { id, committed } = get();
  if (id && committed) enqueue(id, committed);
}

/** Try again to save what could not be saved. */
export const saveAgain = (): void => {
  const { id } = get();
  if (id) tryAgain(id);
};

/** After a conflict: keep what is here, as the newest version; the other one stays among the versions. */
export async function keepMine(): Promise<void> {
  const { id, committed } = get();
  if (!id || !committed) return;
  const theirs = await answered(api.GET("/api/effects/{effect_id}", { params: { path: { effect_id: id } } }));
  goOn(id, theirs.revision, committed);
}

/** After a conflict: take what is stored. What was here is kept among the versions first, always, and stays one undo away. */
export async function takeTheirs(): Promise<void> {
  const { id, committed, past } = get();
  if (!id || !committed) return;
  const body = {
    document: committed as unknown as Record<string, never>,
    name: "Mine, before the other tab's was taken",
    tab: TAB,
  };
  const theirs = await answered(
    api.POST("/api/effects/{effect_id}/versions", { params: { path: { effect_id: id } }, body }),
  );
  const document = theirs.document as unknown as Effect;
  set({ document, committed: document, past: [...past, committed], future: [] });
  goOn(id, theirs.revision);
  announce(document, false);
}

export const lastFrame = (document: Effect | null): number =>
  document ? Math.max(1, Math.round(Number(document.clock.duration) * Number(document.clock.frames_per_second))) : 1;

/** The time that keyframes at `path` are measured in, at a frame (seconds): the effect's own, except for the curve that decides that. */
export function timeAt(state: Pick<Studio, "document" | "stats">, frame: number, path: Path = []): number {
  const fps = Number(state.document?.clock.frames_per_second ?? 24);
  if (state.document?.clock.time_from === "curve" && path[0] !== "clock")
    return state.stats[frame]?.time ?? frame / fps;
  return frame / fps;
}
