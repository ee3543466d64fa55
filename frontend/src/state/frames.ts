/** Frames as they come from the server, and which of them are kept: those that a loop will need soonest. */

import { fetchBlock } from "@/api/client";
import type { Block } from "@/api/block";

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
  /** Trails and links: how many there are, points and bytes, and to how many points the longest were cut to keep within the
   * budget, how many those wanted and how many points all of them do. */
  lines?: number;
  points?: number;
  bytes?: number;
  cut?: number;
  wanted?: number;
  needed?: number;
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

const sizeOf = (block: FrameBlock): number => Object.values(block.arrays)[0]?.buffer.byteLength ?? 0;

/** Frames that are kept, by trial and number, within a budget of bytes: long trails are a dozen megabytes a frame. */
export class Frames {
  private readonly kept = new Map<string, { trial: string; number: number; block: FrameBlock }>();
  private readonly coming = new Map<string, Promise<FrameBlock | null>>();
  private bytes = 0;
  /** Where playing is, and between which frames it goes round. */
  private trial = "";
  private playhead = 0;
  private loop: readonly [number, number] = [0, 1];

  constructor(private readonly budget = 700e6) {}

  /** Tell where the playhead is: what it has just passed is needed last of all. */
  heed(trial: string, playhead: number, loop: readonly [number, number]): void {
    this.trial = trial;
    this.playhead = playhead;
    this.loop = loop;
  }

  get(trial: string, number: number): FrameBlock | null {
    return this.kept.get(`${trial}/${number}`)?.block ?? null;
  }

  has(trial: string, number: number): boolean {
    return this.kept.has(`${trial}/${number}`);
  }

  put(trial: string, number: number, block: FrameBlock): void {
    const key = `${trial}/${number}`;
    if (this.kept.has(key)) return;
    this.kept.set(key, { trial, number, block });
    this.bytes += sizeOf(block);
    while (this.bytes > this.budget && this.kept.size > 1) this.drop(this.leastNeeded(key));
  }

  /** A frame from memory or the server; null where it could not be had. With `wait`, one that is being computed is waited for. */
  load(trial: string, number: number, wait = false): Promise<FrameBlock | null> {
    const there = this.get(trial, number);
    if (there) return Promise.resolve(there);
    const key = `${trial}/${number}`;
    const coming = this.coming.get(key);
    if (coming) return coming;
    const fetched = fetchBlock<FrameHead>(`/api/trials/${trial}/frames/${number}${wait ? "?wait=3" : ""}`)
      .then((block) => {
        this.put(trial, number, block);
        return block;
      })
      .catch(() => null)
      .finally(() => this.coming.delete(key));
    this.coming.set(key, fetched);
    return fetched;
  }

  get size(): number {
    return this.kept.size;
  }

  /** Of other trials first, the oldest; then the frame that playing on reaches last. */
  private leastNeeded(newest: string): string {
    const [first, end] = this.loop;
    const round = Math.max(1, end - first + 1);
    let worst = "";
    let furthest = -1;
    for (const [key, { trial, number }] of this.kept) {
      if (key === newest) continue;
      if (trial !== this.trial) return key;
      const ahead = number < first || number > end ? Infinity : (((number - this.playhead) % round) + round) % round;
      if (ahead > furthest) [worst, furthest] = [key, ahead];
    }
    return worst;
  }

  private drop(key: string): void {
    const gone = this.kept.get(key);
    if (!gone) return;
    this.kept.delete(key);
    this.bytes -= sizeOf(gone.block);
  }
}
