/** From documents to pictures: asks for trials, follows their progress, fetches and keeps frames. */

import { answered, api, fetchBlock, Refused, type TrialInfo } from "@/api/client";
import type { Block } from "@/api/block";
import { create } from "zustand";
import type { Effect } from "./document";
import { lastFrame, onDocument, useStudio, type Counts, type FrameStats } from "./studio";

export interface LayerHead {
  look: string;
  shader: "ball" | "disc" | "dot" | "sheet" | "picture" | "form" | "ribbon";
  count: number;
  /** Whether some of it is solid, and whether some can be seen through. */
  solid: boolean;
  seeThrough: boolean;
  mixing: "over" | "light";
  /** Whether what is less than a pixel wide is kept in sight. */
  tiny: boolean;
  softness?: number;
  /** Width of a sheet or picture for a length of 1. */
  ratio?: number;
  picture?: string;
  columns?: number;
  rows?: number;
  facing?: "camera" | "own";
  /** The id of a picture that is not in the library. */
  missing?: string;
  /** Solid forms: where the particles of each begin. */
  starts?: number[];
  /** Trails and links: how many lines, points and bytes, and to how many points each was cut to keep within the budget. */
  lines?: number;
  points?: number;
  bytes?: number;
  cut?: number;
  wanted?: number;
}
/** The picture's camera at a moment. */
export interface ViewHead {
  position: [number, number, number];
  target: [number, number, number];
  field_of_view: number;
  focus: number;
}
export interface FrameHead {
  frame: number;
  time: number;
  count: number;
  layers: LayerHead[];
  /** Shapes that move or change, as they are at this frame. */
  shapes: ShapeHead[];
  /** What keyframed numbers are at this frame, by their addresses. */
  keyed: Record<string, number | number[]>;
  view: ViewHead;
  /** Where the camera is a frame later, if the frame was asked for with its motion. */
  view_next?: ViewHead;
}
export interface ShapeHead {
  id: string;
  index: number;
  visible: boolean;
  /** Whether it is only there to be asked about. */
  region: boolean;
  kind: string;
  line: boolean;
  /** Takes the shape's own space into the world, and the space in which its position is given; column by column. */
  matrix: number[];
  carrier: number[];
  geometry: boolean;
}
export interface ShapesHead {
  shapes: ShapeHead[];
}
export type FrameBlock = Block<FrameHead>;

interface Picture {
  /** The frame on the stage, of the trial that it belongs to. */
  shown: { trial: string; frame: FrameBlock } | null;
  shapes: Block<ShapesHead> | null;
  /** A shape where it is being dragged to, until the server's answer shows it there. */
  dragged: { id: string; matrix: number[] } | null;
}
export const usePicture = create<Picture>()(() => ({ shown: null, shapes: null, dragged: null }));

const RETRY = 1000;
const FRAMES_KEPT = 260;
/** Bytes of frames that are kept: long trails are a dozen megabytes each. */
const MOST_BYTES = 700e6;
let bytesKept = 0;
const AHEAD = 10;
const frames = new Map<string, FrameBlock>();
const loading = new Map<string, Promise<FrameBlock | null>>();

let inFlight = false;
let wanted: { document: Effect; live: boolean } | null = null;
let shapesOf = "";

/** Ask for the trial of a document; while one question is on its way only the newest next one is kept. */
function ask(document: Effect, live = false): void {
  wanted = { document, live };
  if (!inFlight) void askNow();
}

async function askNow(): Promise<void> {
  const { id, frame, onward } = useStudio.getState();
  if (!id || !wanted) return;
  const { document, live } = wanted;
  wanted = null;
  inFlight = true;
  try {
    // Onward, a value that is being dragged acts from the frame on screen on; letting go asks for the exact result.
    const ground = onward && live ? (usePicture.getState().shown?.trial ?? null) : null;
    const body = { document: asRun(document) as unknown as Record<string, never>, frame, onward: ground };
    const trial = await answered(
      api.POST("/api/effects/{effect_id}/trials", { params: { path: { effect_id: id } }, body }),
    );
    if (useStudio.getState().id === id) await take(trial, document);
  } catch (error) {
    const { message, status } = error as Refused;
    useStudio.setState({ refusal: message });
    // A document that is refused stays refused; a server that is busy or away is asked again.
    if (!(status >= 400 && status < 500))
      setTimeout(() => wanted === null && ask(useStudio.getState().document ?? document), RETRY);
  } finally {
    inFlight = false;
    if (wanted) void askNow();
  }
}

/** The document as it is run: with rules picked out, all others are switched off, but only here. */
function asRun(document: Effect): Effect {
  const { solo } = useStudio.getState();
  if (!document.rules.some((rule) => solo.includes(String(rule.id)))) return document;
  return {
    ...document,
    rules: document.rules.map((rule) => (solo.includes(String(rule.id)) ? rule : { ...rule, enabled: false })),
  };
}

/** Run these rules alone, all others out; none runs all again. */
export function runAlone(rules: string[]): void {
  useStudio.setState({ solo: rules });
  runAgain();
}

/** Longest that a new question waits for the picture of the one before: a value that is dragged shows its way, not only its end. */
const PATIENCE = 260;

async function take(trial: TrialInfo, document: Effect): Promise<void> {
  const { frame, trial: before, stats, stale } = useStudio.getState();
  // What was computed for the document before is shown as stale until the new one gets there.
  const afresh = before?.key === trial.key ? {} : { stats: [], stale: stats.length >= stale.length ? stats : stale };
  useStudio.setState({ trial, refusal: null, frame: Math.min(frame, lastFrame(document)), ...afresh });
  const signature = JSON.stringify(document.shapes);
  if (signature !== shapesOf || !usePicture.getState().shapes) {
    shapesOf = signature;
    fetchBlock<ShapesHead>(`/api/trials/${trial.id}/shapes`).then(
      (block) => shapesOf === signature && placeShapes(trial.id, block),
      () => (shapesOf = ""),
    );
  }
  const shown = show();
  void (trial.state === "computing" ? catchUp(trial.id) : Promise.resolve()).then(refreshStats).then(show);
  await Promise.race([shown, new Promise((resolve) => setTimeout(resolve, PATIENCE))]);
}

let waitingShapes: { trial: string; block: Block<ShapesHead> } | null = null;

/** Shapes go onto the stage together with the frame that they belong to: one picture, not two; alone if that takes long. */
function placeShapes(trial: string, block: Block<ShapesHead>): void {
  const { shown, shapes } = usePicture.getState();
  if (!shown || !shapes || shown.trial === trial) return usePicture.setState({ shapes: block });
  const mine = (waitingShapes = { trial, block });
  setTimeout(() => {
    if (waitingShapes === mine) {
      waitingShapes = null;
      usePicture.setState({ shapes: block });
    }
  }, PATIENCE);
}

function putOnStage(trial: string, frame: FrameBlock): void {
  const { document, committed } = useStudio.getState();
  const with_ = waitingShapes?.trial === trial ? { shapes: waitingShapes.block } : {};
  if (waitingShapes?.trial === trial) waitingShapes = null;
  usePicture.setState({ shown: { trial, frame }, ...with_, ...(document === committed ? { dragged: null } : {}) });
}

/** A short run can end before its trial is known here: ask once more, now that news of it is listened to. */
async function catchUp(id: string): Promise<void> {
  const now = await answered(api.GET("/api/trials/{trial_id}", { params: { path: { trial_id: id } } })).catch(
    () => null,
  );
  const { trial } = useStudio.getState();
  if (now && trial?.id === id && now.state !== "computing") useStudio.setState({ trial: { ...trial, ...now } });
}

/** Fetch the counts of frames that are not here yet. */
async function refreshStats(): Promise<void> {
  const { trial, stats } = useStudio.getState();
  if (!trial) return;
  const start = stats.length;
  const query = { params: { path: { trial_id: trial.id }, query: { start } } };
  const more = (await answered(api.GET("/api/trials/{trial_id}/stats", query)).catch(() => [])) as unknown as Told[];
  const now = useStudio.getState();
  if (now.trial?.key === trial.key) merge(more);
}

/** Counts as the server tells them: in the order in which the run's document has its groups and rules. */
type Told = { [Name in keyof FrameStats]: FrameStats[Name] extends Counts ? number[] : FrameStats[Name] };

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

function merge(more: Told[]): void {
  const { stats, trial } = useStudio.getState();
  if (!trial || more.length === 0) return;
  const next = [...stats];
  for (const entry of more) next[entry.frame] = named(entry, trial.names);
  // A gap would be a message that was missed: cut there and fetch again later.
  let whole = 0;
  while (whole < next.length && next[whole]) whole++;
  useStudio.setState({ stats: next.slice(0, whole), trial: { ...trial, computed: Math.max(trial.computed, whole) } });
}

const sizeOf = (block: FrameBlock): number => Object.values(block.arrays)[0]?.buffer.byteLength ?? 0;

/** A frame from memory or the server. With `wait`, one that is still being computed is waited for. */
export function load(trial: string, number: number, wait = false): Promise<FrameBlock | null> {
  const key = `${trial}/${number}`;
  const there = frames.get(key);
  if (there) return Promise.resolve(there);
  const coming = loading.get(key);
  if (coming) return coming;
  const fetched = fetchBlock<FrameHead>(`/api/trials/${trial}/frames/${number}${wait ? "?wait=3" : ""}`)
    .then((block) => {
      frames.set(key, block);
      bytesKept += sizeOf(block);
      while (frames.size > 1 && (frames.size > FRAMES_KEPT || bytesKept > MOST_BYTES)) {
        const [oldest, dropped] = frames.entries().next().value!;
        frames.delete(oldest);
        bytesKept -= sizeOf(dropped);
      }
      return block;
    })
    .catch(() => null)
    .finally(() => loading.delete(key));
  loading.set(key, fetched);
  return fetched;
}

export const isReady = (number: number): boolean => {
  const { trial } = useStudio.getState();
  return !!trial && frames.has(`${trial.id}/${number}`);
};

/** Put the frame under the playhead on the stage as soon as it is computed; fetch a few ahead while playing. */
export async function show(): Promise<void> {
  const { trial, frame, playing, document } = useStudio.getState();
  if (!trial) return;
  const there = frame < trial.computed || trial.any_frame;
  if (there || (trial.state === "computing" && !playing)) {
    const block = await load(trial.id, frame, !there);
    const now = useStudio.getState();
    const present = usePicture.getState().shown;
    const isNew = present?.trial !== trial.id || present.frame !== block;
    const current = now.trial?.id === trial.id && now.frame === frame;
    if (block && isNew && current) putOnStage(trial.id, block);
    // A frame that is there but could not be fetched is asked for again: the stage never keeps an older one in silence.
    else if (!block && current && there) setTimeout(() => void show(), RETRY);
  }
  if (playing) {
    const last = lastFrame(document);
    for (let ahead = 1; ahead <= AHEAD; ahead++) {
      const next = (frame + ahead) % (last + 1);
      if (next < trial.computed || trial.any_frame) void load(trial.id, next);
    }
  }
}

export function seek(frame: number): void {
  const { document, id } = useStudio.getState();
  const next = Math.max(0, Math.min(lastFrame(document), Math.round(frame)));
  useStudio.setState({ frame: next });
  if (id) sessionStorage.setItem(`playhead ${id}`, String(next));
  void show();
}

/** Put the playhead where keyframes say `time` (seconds). */
export function seekTime(time: number): void {
  const { document, stats } = useStudio.getState();
  if (document?.clock.time_from === "curve") {
    const there = stats.findIndex((entry) => entry.time >= time - 1e-6);
    if (there >= 0) return seek(there);
  }
  seek(Math.round(time * Number(document?.clock.frames_per_second ?? 24)));
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

/** A message from the server about a run. */
export function hear(news: News): void {
  const { trial, id, frame } = useStudio.getState();
  if (!trial || news.effect !== id || news.key !== trial.key) return;
  if (news.type === "waiting") {
    useStudio.setState({ trial: { ...trial, waiting: news.waiting ?? null } });
  } else if (news.type === "progress") {
    const before = trial.computed;
    if (trial.waiting) useStudio.setState({ trial: { ...trial, waiting: null } });
    merge(news.stats ?? []);
    const after = useStudio.getState();
    if (after.stats.length < (news.computed ?? 0)) void refreshStats().then(show);
    else if (frame >= before || after.playing) void show();
  } else if (news.type === "finished") {
    useStudio.setState({
      trial: {
        ...trial,
        state: news.state ?? "done",
        waiting: null,
        message: news.message ?? "",
        findings: news.findings ?? trial.findings,
      },
    });
    void refreshStats().then(show);
  }
}

export async function stopRun(): Promise<void> {
  const { id } = useStudio.getState();
  if (id) await answered(api.POST("/api/effects/{effect_id}/stop", { params: { path: { effect_id: id } } }));
}

export function runAgain(): void {
  const { document } = useStudio.getState();
  if (document) ask(document);
}

onDocument((document, live) => ask(document, live));
