/** One opened effect: its document with its history, what is selected, where the playhead is, and the runs that are shown of it.
 *
 * It is made when the effect opens and dropped when one leaves; nothing of it is kept anywhere else. */

import { createStore, type StoreApi } from "zustand/vanilla";
import { answered, api, type Catalogue } from "@/api/client";
import type { LayerData } from "@/stage/drawing/data";
import type { App } from "./app";
import { identified, same, withValue, type Effect, type Json, type Node, type Path } from "./document";
import { valueNow } from "./keys";
import { playheadOf } from "./openings";
import { Playing } from "./playing";
import { NARROW } from "@/ui/room";
import { lastFrame, Run, type RunState } from "./run";
import type { SaveQueue, Saving } from "./saving";
import { Viewpoint, type Point } from "./viewpoint";

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

/** A dial with a second value: the run of the effect with it stands beside the effect's own, on the same clock. */
export interface Comparing {
  dial: string;
  value: number;
  run: Run;
}

/** Those ringed: `left` are drawn where they left, `turn` says that it is the record of a rule's turn in the step. */
export interface Highlighted {
  ids: Set<number>;
  of: number;
  turn: boolean;
  left: LayerData | null;
}

export type LensTab = "probe" | "charts" | "advisories" | "guide";
export type ChartPage = "groups" | "values" | "between" | "time";

/** What a press on the stage does besides looking around: nothing, measuring, or choosing many. */
export type StageTool = "look" | "measure" | "box";

export type SliceAxis = "x" | "y" | "z" | "none";

export interface SessionState {
  catalogue: Catalogue;
  revision: number;
  document: Effect;
  /** The document as last committed; differs from `document` only while a value is dragged. */
  committed: Effect;
  /** Counts commits, so that what is asked of a document is asked once for each. */
  edition: number;
  past: Effect[];
  future: Effect[];
  /** How many changes the server is being asked for; what they make of the document is not here yet. */
  asked: number;
  saving: Saving;
  /** Frames between which playing goes round; null is all. */
  range: [number, number] | null;
  /** Whether a value that is dragged acts only from the frame on screen on. */
  onward: boolean;
  /** What the handles of the chosen shape do. */
  handles: "move" | "turn" | "scale";
  /** The keyframed number whose curve is open under the clock. */
  track: Path | null;
  /** Something that could not be done, told for a moment beside the stage. */
  hint: string | null;
  frame: number;
  playing: boolean;
  loop: boolean;
  /** How fast it really plays, as a share of the effect's own rate; null while that is not known. */
  pace: number | null;
  selected: Path | null;
  particle: number | null;
  /** Several particles that were chosen together on the stage. */
  chosen: Set<number> | null;
  highlight: Highlight | null;
  highlighted: Highlighted | null;
  lens: LensTab;
  lensOpen: boolean;
  /** What the charts in the lens are of. */
  chartPage: ChartPage;
  guidePage: string | null;
  /** The item that has just been added and is to be given a name of its own: its address. */
  naming: string | null;
  /** Whether the score is there; where there is little room it is a drawer over the stage. */
  scoreOpen: boolean;
  /** Rules that alone are run, to look at them by themselves; none means all. The document does not know of it. */
  solo: string[];
  /** Groups that the stage does not draw. */
  hidden: string[];
  /** Whether the stage draws everybody in the colour of their group. */
  byGroup: boolean;
  /** Whether the stage shows where particles have touched something. */
  touches: boolean;
  /** Whether each item tells what it takes of a step. */
  costs: boolean;
  /** Whether all dials stand over the stage. */
  dialled: boolean;
  /** Whether the stage tells who is far out. */
  strays: boolean;
  /** Whether everybody stands in a table under the stage. */
  table: boolean;
  /** What stands beside each particle on the stage, a name or a formula; nothing where it is null. */
  values: string | null;
  /** Whether the stage shows the finished picture. */
  picturing: boolean;
  /** Whether nothing but the stage is shown. */
  stageOnly: boolean;
  /** Whether the stage shows the effect as it was before the last edit. */
  before: boolean;
  tool: StageTool;
  /** Where the chosen field is cut; the same for all, so that one can compare them. */
  cut: { axis: SliceAxis; at: number };
  /** Two places that are measured; the second is missing until it is pointed at. */
  measured: { from: Point; to: Point | null } | null;
  /** Raised when another reference picture lies behind the stage. */
  reference: number;
  comparing: Comparing | null;
}

const HISTORY = 300;
const ELSEWHERE = "This effect was changed elsewhere. Nothing of yours is lost: take the other version, or keep yours.";

interface Opened {
  revision: number;
  document: Effect;
}

export class Session {
  readonly store: StoreApi<SessionState>;
  /** The run of the document itself. */
  readonly run: Run;
  readonly playing: Playing;
  readonly viewpoint = new Viewpoint();
  /** Raised when what the server was asked for is taken back before it has answered. */
  withdrawn = 0;
  private readonly queue: SaveQueue;
  /** Further runs that are shown beside it or in its place. */
  private readonly others = new Set<Run>();

  constructor(
    readonly app: App,
    readonly id: string,
    catalogue: Catalogue,
    stored: Opened,
  ) {
    this.queue = app.saves.of(id);
    const left = this.queue.unsaved(stored);
    const document = left?.document ?? stored.document;
    this.store = createStore<SessionState>()(() => ({
      catalogue,
      revision: stored.revision,
      document,
      committed: document,
      edition: 0,
      past: [],
      future: [],
      asked: 0,
      saving: { state: "saved" },
      range: null,
      onward: false,
      handles: "move",
      track: null,
      hint: null,
      frame: Math.min(lastFrame(document), playheadOf(id)),
      playing: false,
      loop: true,
      pace: null,
      selected: null,
      particle: null,
      chosen: null,
      highlight: null,
      highlighted: null,
      lens: "probe",
      lensOpen: false,
      chartPage: "groups",
      guidePage: null,
      naming: null,
      scoreOpen: window.innerWidth >= NARROW,
      solo: [],
      hidden: [],
      byGroup: false,
      touches: false,
      costs: false,
      dialled: false,
      strays: false,
      table: false,
      values: null,
      picturing: false,
      stageOnly: false,
      before: false,
      tool: "look",
      cut: { axis: "z", at: 0.5 },
      measured: null,
      reference: 0,
      comparing: null,
    }));
    this.run = this.newRun((effect) => this.alone(effect));
    this.playing = new Playing(this);
    this.queue.listener = (saving, revision) => this.set({ saving, revision });
    this.queue.goOn(stored.revision, left && !left.conflict ? document : null);
    if (left?.conflict) this.queue.disagree(ELSEWHERE);
    this.announce(document, false);
  }

  get state(): SessionState {
    return this.store.getState();
  }

  set(change: Partial<SessionState>): void {
    this.store.setState(change);
  }

  close(): void {
    this.playing.pause();
    this.queue.listener = null;
    for (const run of this.runs) run.close();
  }

  // Runs

  get runs(): Run[] {
    return [this.run, ...this.others];
  }

  private newRun(variant?: (document: Effect) => Effect, like?: Run, beside = false): Run {
    const around = {
      effect: this.id,
      frame: () => this.state.frame,
      loop: (): [number, number] => this.state.range ?? [0, lastFrame(this.state.document)],
      playing: () => this.state.playing,
      onward: () => this.state.onward,
      settled: () => this.state.document === this.state.committed,
      ended: (last: number) => this.state.frame > last && this.set({ frame: last }),
    };
    return new Run(around, like?.frames, variant, beside);
  }

  /** One more run on the same clock, of a document that differs from the session's; `leave` drops it. */
  enter(document: Effect): Run {
    const run = this.newRun(undefined, this.run);
    this.others.add(run);
    run.ask(document);
    return run;
  }

  leave(run: Run): void {
    run.close();
    this.others.delete(run);
  }

  /** Show the effect with another value of a dial beside it, or with yet another one; the dial itself stays as it is. */
  compare(dial: string, value: number): void {
    const before = this.state.comparing;
    const run = before?.run ?? this.newRun((effect) => this.otherwise(effect), undefined, true);
    this.others.add(run);
    // Two stages need the room.
    if (!before) this.set({ lensOpen: false, picturing: false, before: false });
    this.set({ comparing: { dial, value, run } });
    run.ask(this.state.document);
  }

  /** Compare a dial's value with one that is half as large again. */
  beginComparing(dial: Effect["dials"][number]): void {
    const present = Number(valueNow(dial.value, undefined, 0));
    this.compare(dial.id, present === 0 ? 1 : Number((present * 1.5).toPrecision(3)));
  }

  stopComparing(): void {
    const { comparing } = this.state;
    if (!comparing) return;
    this.set({ comparing: null });
    this.leave(comparing.run);
    void comparing.run.stop().catch(() => undefined);
  }

  private otherwise(document: Effect): Effect {
    const { comparing } = this.state;
    const other = document.dials.map((dial) =>
      dial.id === comparing?.dial ? { ...dial, value: comparing.value } : dial,
    );
    return { ...this.alone(document), dials: other };
  }

  /** The document as it is run: with rules picked out, all others are switched off, but only here. */
  private alone(document: Effect): Effect {
    const { solo } = this.state;
    if (!document.rules.some((rule) => solo.includes(rule.id))) return document;
    const rules = document.rules.map((rule) => (solo.includes(rule.id) ? rule : { ...rule, enabled: false }));
    return { ...document, rules };
  }

  /** Run these rules alone, all others out; none runs all again. */
  runAlone(rules: string[]): void {
    this.set({ solo: rules });
    this.announce(this.state.document, false);
  }

  private announce(document: Effect, live: boolean): void {
    const { comparing } = this.state;
    if (comparing && !document.dials.some((dial) => dial.id === comparing.dial)) this.stopComparing();
    this.run.ask(document, live);
    this.state.comparing?.run.ask(document, live);
  }

  // Editing

  /** Change a value without committing: the stage follows, nothing is saved, undo does not see it. */
  tryValue(path: Path, value: Json): void {
    this.tryDocument(withValue(this.state.document, path, value));
  }

  tryDocument(next: Effect): void {
    this.set({ document: next });
    this.announce(next, true);
  }

  /** Commit what dragging has tried. */
  settle(): void {
    this.commit(this.state.document);
  }

  /** Change the document for good: one step of undo, saved at once. */
  commit(changed: Effect): void {
    const { committed, past } = this.state;
    const next = identified(changed, committed);
    if (same(committed, next)) return this.set({ document: committed });
    this.become(next, { past: [...past.slice(-HISTORY), committed], future: [] });
  }

  edit(path: Path, value: Json | undefined): void {
    this.commit(withValue(this.state.document, path, value));
  }

  undo(): void {
    // What was asked for last is not done yet: it is the step that is taken back.
    if (this.state.asked > 0) {
      this.withdrawn += 1;
      return this.set({ asked: 0 });
    }
    const { past, future, committed, document } = this.state;
    // A value that is only tried is taken back before anything that was done.
    if (document !== committed) {
      this.set({ document: committed });
      return this.announce(committed, false);
    }
    const previous = past.at(-1);
    if (previous) this.become(previous, { past: past.slice(0, -1), future: [committed, ...future] });
  }

  redo(): void {
    const { past, future, committed } = this.state;
    const next = future[0];
    if (next) this.become(next, { past: [...past, committed], future: future.slice(1) });
  }

  private become(next: Effect, history: Pick<SessionState, "past" | "future">, save = true): void {
    const { committed, edition } = this.state;
    const frame = this.sameMoment(committed, next);
    this.set({ document: next, committed: next, edition: edition + 1, frame, ...history });
    this.announce(next, false);
    if (save) this.queue.enqueue(next);
  }

  /** The playhead's frame after an edit: the same moment, also at another frame rate. */
  private sameMoment(before: Effect, after: Effect): number {
    const [old, now] = [before.clock.frames_per_second, after.clock.frames_per_second];
    const { frame } = this.state;
    if (old === now || !(old > 0)) return frame;
    return Math.max(0, Math.min(lastFrame(after), Math.round((frame / old) * now)));
  }

  // Saving

  /** Try again to save what could not be saved. */
  saveAgain(): void {
    this.queue.tryAgain();
  }

  /** Another tab has saved this effect. */
  savedElsewhere(revision: number, same_: number | null): void {
    const known = this.queue.revision;
    // Only a version was kept beside it: what is here is what is there.
    const saved = this.state.saving.state === "saved";
    if (same_ !== null && same_ === known && saved) this.queue.goOn(revision);
    else if (revision > known && saved) this.queue.disagree(ELSEWHERE);
  }

  /** After a conflict: keep what is here, as the newest version; the other one stays among the versions. */
  async keepMine(): Promise<void> {
    const params = { path: { effect_id: this.id } };
    const theirs = await answered(api.GET("/api/effects/{effect_id}", { params }));
    this.queue.goOn(theirs.revision, this.state.committed);
  }

  /** After a conflict: take what is stored. What was here is kept among the versions first, and stays one undo away. */
  async takeTheirs(): Promise<void> {
    const { committed, past } = this.state;
    const name = "Mine, before the other tab's was taken";
    const theirs = await answered(
      api.POST("/api/effects/{effect_id}/versions", {
        params: { path: { effect_id: this.id } },
        body: { document: committed, name, tab: this.app.saves.tab },
      }),
    );
    this.take(theirs, [...past, committed]);
  }

  /** Go on from what the server has stored, with this history. */
  take(stored: { revision: number; document: unknown }, past: Effect[]): void {
    this.become(stored.document as Effect, { past, future: [] }, false);
    this.queue.goOn(stored.revision);
  }

  // Time

  seek(frame: number): void {
    const next = Math.max(0, Math.min(lastFrame(this.state.document), Math.round(frame)));
    if (next !== this.state.frame) this.set({ frame: next });
    sessionStorage.setItem(`playhead ${this.id}`, String(next));
    this.show();
  }

  /** Put the playhead where keyframes say `time` (seconds). */
  seekTime(time: number): void {
    const { clock } = this.state.document;
    if (clock.time_from === "curve") {
      const there = this.run.state.stats.findIndex((entry) => entry.time >= time - 1e-6);
      if (there >= 0) return this.seek(there);
    }
    this.seek(Math.round(time * clock.frames_per_second));
  }

  show(): void {
    for (const run of this.runs) void run.show();
  }

  /** The time that keyframes at `path` are measured in at the playhead (seconds). */
  timeAt(path: Path = []): number {
    return timeAt(this.state.document, this.run.state.stats, this.state.frame, path);
  }
}

/** The time that keyframes at `path` are measured in, at a frame (seconds): the effect's own, except for the curve that decides that. */
export function timeAt(document: Effect, stats: RunState["stats"], frame: number, path: Path = []): number {
  const { frames_per_second, time_from } = document.clock;
  if (time_from === "curve" && path[0] !== "clock") return stats[frame]?.time ?? frame / frames_per_second;
  return frame / frames_per_second;
}
