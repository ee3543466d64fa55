/** One run of a document, shown on a stage: asks for its trial, follows its progress and puts frames on the stage. */

import { createStore, type StoreApi } from "zustand/vanilla";
import { answered, api, fetchBlock, type Refused, type TrialInfo } from "@/api/client";
import type { Block } from "@/api/block";
import { same, type Effect } from "./document";
import { Frames, type FrameBlock, type ShapesHead } from "./frames";

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
  /** What each urge wanted and got of the largest force, by its address. */
  urges?: Readonly<Record<string, readonly [number, number]>>;
}

/** Counts as the server tells them: in the order in which the run's document has its groups and rules. */
type Told = { [Name in keyof FrameStats]: FrameStats[Name] extends Counts ? number[] : FrameStats[Name] };

export interface RunState {
  trial: TrialInfo | null;
  stats: FrameStats[];
  /** Counts of the run before, shown behind until the present run has got as far. */
  stale: FrameStats[];
  /** Why the document cannot run as it is. */
  refusal: { message: string; status: number } | null;
  /** The frame on the stage, of the trial that it belongs to. */
  shown: { trial: string; frame: FrameBlock } | null;
  shapes: Block<ShapesHead> | null;
  /** A shape where it is being dragged to, until the server's answer shows it there. */
  dragged: { id: string; matrix: number[] } | null;
}

/** What a run needs to know of the session that it belongs to. */
export interface Surroundings {
  effect: string;
  frame: () => number;
  /** First and last frame that playing goes round in. */
  loop: () => [number, number];
  playing: () => boolean;
  /** Whether a value that is dragged acts only from the frame on screen on. */
  onward: () => boolean;
  /** Whether what is shown is the document as it was last committed, and not one that is being tried. */
  settled: () => boolean;
  /** The document has another last frame now: the playhead stays within. */
  ended: (last: number) => void;
}

interface News {
  type: string;
  effect: string;
  key?: string;
  computed?: number;
  stats?: Told[];
  state?: string;
  message?: string;
  findings?: TrialInfo["findings"];
  waiting?: string[] | null;
}

const RETRY = 1000;
const AHEAD = 10;
/** Longest that a new question waits for the picture of the one before: a dragged value shows its way, not only its end. */
const PATIENCE = 260;

export const lastFrame = (document: Effect): number =>
  Math.max(1, Math.round(document.clock.duration * document.clock.frames_per_second));

export class Run {
  readonly store: StoreApi<RunState> = createStore<RunState>()(() => ({
    trial: null,
    stats: [],
    stale: [],
    refusal: null,
    shown: null,
    shapes: null,
    dragged: null,
  }));
  readonly frames: Frames;
  private inFlight = false;
  private wanted: { document: Effect; live: boolean } | null = null;
  /** The document that was asked for last. */
  private document: Effect | null = null;
  private shapesOf: Effect["shapes"] | null = null;
  private waitingShapes: { trial: string; block: Block<ShapesHead> } | null = null;
  private closed = false;

  constructor(
    private readonly around: Surroundings,
    frames?: Frames,
    /** How this run's document differs from the session's. */
    private readonly variant: (document: Effect) => Effect = (document) => document,
    /** Whether it is computed beside the effect's own run, and does not take its place. */
    private readonly beside = false,
  ) {
    this.frames = frames ?? new Frames();
  }

  get state(): RunState {
    return this.store.getState();
  }

  close(): void {
    this.closed = true;
    this.wanted = null;
  }

  /** Ask for the trial of a document; while one question is on its way only the newest next one is kept. */
  ask(document: Effect, live = false): void {
    this.document = document;
    this.wanted = { document, live };
    if (!this.inFlight) void this.askNow();
  }

  /** Ask again for what was asked for last. */
  again(): void {
    if (this.document) this.ask(this.document);
  }

  async stop(): Promise<void> {
    const params = { path: { effect_id: this.around.effect }, query: { beside: this.beside } };
    await answered(api.POST("/api/effects/{effect_id}/stop", { params }));
  }

  private async askNow(): Promise<void> {
    if (!this.wanted) return;
    const { document, live } = this.wanted;
    this.wanted = null;
    this.inFlight = true;
    try {
      // Onward, a value that is being dragged acts from the frame on screen on; letting go asks for the exact result.
      const ground = this.around.onward() && live ? (this.state.shown?.trial ?? null) : null;
      const trial = await answered(
        api.POST("/api/effects/{effect_id}/trials", {
          params: { path: { effect_id: this.around.effect } },
          body: { document: this.variant(document), frame: this.around.frame(), onward: ground, beside: this.beside },
        }),
      );
      if (!this.closed) await this.take(trial, document);
    } catch (error) {
      const { message, status, final } = error as Refused;
      if (this.closed) return;
      this.store.setState({ refusal: { message, status } });
      // A document that is refused stays refused; a server that is busy or away is asked again.
      if (!final) setTimeout(() => this.wanted === null && this.again(), RETRY);
    } finally {
      this.inFlight = false;
      if (this.wanted) void this.askNow();
    }
  }

  private async take(trial: TrialInfo, document: Effect): Promise<void> {
    const { trial: before, stats, stale } = this.state;
    // What was computed for the document before is shown as stale until the new one gets there.
    const afresh = before?.key === trial.key ? {} : { stats: [], stale: stats.length >= stale.length ? stats : stale };
    this.store.setState({ trial, refusal: null, ...afresh });
    this.around.ended(lastFrame(document));
    if (!same(document.shapes, this.shapesOf) || !this.state.shapes) {
      const mine = (this.shapesOf = document.shapes);
      fetchBlock<ShapesHead>(`/api/trials/${trial.id}/shapes`).then(
        (block) => this.shapesOf === mine && this.placeShapes(trial.id, block),
        () => (this.shapesOf = null),
      );
    }
    const shown = this.show();
    void (trial.state === "computing" ? this.catchUp(trial.id) : Promise.resolve())
      .then(() => this.refreshStats())
      .then(() => this.show());
    await Promise.race([shown, new Promise((resolve) => setTimeout(resolve, PATIENCE))]);
  }

  /** Shapes go onto the stage together with the frame that they belong to: one picture, not two; alone if that takes long. */
  private placeShapes(trial: string, block: Block<ShapesHead>): void {
    const { shown, shapes } = this.state;
    if (!shown || !shapes || shown.trial === trial) return this.store.setState({ shapes: block });
    const mine = (this.waitingShapes = { trial, block });
    setTimeout(() => {
      if (this.waitingShapes === mine) {
        this.waitingShapes = null;
        this.store.setState({ shapes: block });
      }
    }, PATIENCE);
  }

  private putOnStage(trial: string, frame: FrameBlock): void {
    const due = this.waitingShapes?.trial === trial ? this.waitingShapes : null;
    if (due) this.waitingShapes = null;
    this.store.setState({
      shown: { trial, frame },
      ...(due ? { shapes: due.block } : {}),
      ...(this.around.settled() && this.state.dragged ? { dragged: null } : {}),
    });
  }

  /** A short run can end before its trial is known here: ask once more, now that news of it is listened to. */
  private async catchUp(id: string): Promise<void> {
    const asked = api.GET("/api/trials/{trial_id}", { params: { path: { trial_id: id } } });
    const now = await answered(asked).catch(() => null);
    const { trial } = this.state;
    if (now && trial?.id === id && now.state !== "computing") this.store.setState({ trial: { ...trial, ...now } });
  }

  /** Fetch the counts of frames that are not here yet. */
  private async refreshStats(): Promise<void> {
    const { trial, stats } = this.state;
    if (!trial) return;
    const params = { path: { trial_id: trial.id }, query: { start: stats.length } };
    const more = await answered(api.GET("/api/trials/{trial_id}/stats", { params })).catch(() => []);
    if (this.state.trial?.key === trial.key) this.merge(more as unknown as Told[]);
  }

  private merge(more: Told[]): void {
    const { stats, trial } = this.state;
    if (!trial || more.length === 0) return;
    const next = [...stats];
    for (const entry of more) next[entry.frame] = named(entry, trial.names);
    // A gap would be a message that was missed: cut there and fetch again later.
    let whole = 0;
    while (whole < next.length && next[whole]) whole++;
    this.store.setState({
      stats: next.slice(0, whole),
      trial: { ...trial, computed: Math.max(trial.computed, whole) },
    });
  }

  isReady(number: number): boolean {
    const { trial } = this.state;
    return !!trial && this.frames.has(trial.id, number);
  }

  /** Put the frame under the playhead on the stage as soon as it is computed; fetch a few ahead while playing. */
  async show(): Promise<void> {
    const { trial } = this.state;
    if (!trial || this.closed) return;
    const [frame, playing, loop] = [this.around.frame(), this.around.playing(), this.around.loop()];
    this.frames.heed(trial.id, frame, loop);
    if (playing) this.fetchAhead(trial, frame, loop);
    const there = frame < trial.computed || trial.any_frame;
    if (!there && !(trial.state === "computing" && !playing)) return;
    const ready = this.frames.get(trial.id, frame);
    const block = ready ?? (await this.frames.load(trial.id, frame, !there));
    const now = this.state;
    if (this.closed || now.trial?.id !== trial.id || this.around.frame() !== frame) return;
    if (block) {
      if (now.shown?.trial !== trial.id || now.shown.frame !== block) this.putOnStage(trial.id, block);
    }
    // A frame that is there but could not be fetched is asked for again: the stage never keeps an older one in silence.
    else if (there) setTimeout(() => void this.show(), RETRY);
  }

  private fetchAhead(trial: TrialInfo, frame: number, [first, last]: [number, number]): void {
    const round = Math.max(1, last - first + 1);
    for (let ahead = 1; ahead <= AHEAD; ahead++) {
      const next = frame < first ? frame + ahead : first + ((frame - first + ahead) % round);
      if (next < trial.computed || trial.any_frame) void this.frames.load(trial.id, next);
    }
  }

  /** A message from the server about a run. */
  hear(news: News): void {
    const { trial } = this.state;
    if (!trial || news.key !== trial.key) return;
    if (news.type === "waiting") {
      this.store.setState({ trial: { ...trial, waiting: news.waiting ?? null } });
    } else if (news.type === "progress") {
      const before = trial.computed;
      if (trial.waiting) this.store.setState({ trial: { ...trial, waiting: null } });
      this.merge(news.stats ?? []);
      if (this.state.stats.length < (news.computed ?? 0)) void this.refreshStats().then(() => this.show());
      else if (this.around.frame() >= before || this.around.playing()) void this.show();
    } else if (news.type === "finished") {
      const ended = {
        state: news.state ?? "done",
        waiting: null,
        message: news.message ?? "",
        findings: news.findings ?? trial.findings,
      };
      this.store.setState({ trial: { ...trial, ...ended } });
      void this.refreshStats().then(() => this.show());
    }
  }
}

function named(told: Told, names: TrialInfo["names"]): FrameStats {
  const by = (ids: string[] | undefined, numbers: number[]): Counts =>
    Object.fromEntries((ids ?? []).map((id, index) => [id, numbers[index] ?? 0]));
  const { groups, rules } = names;
  return {
    ...told,
    population: by(groups, told.population),
    looked: by(rules, told.looked),
    held: by(rules, told.held),
    acted: by(rules, told.acted),
  };
}
