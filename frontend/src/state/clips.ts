/** Making stills and clips: frame by frame, drawn here and written by the server, with progress, an estimate and a stop. */

import { create } from "zustand";
import { answered, api, Refused } from "@/api/client";
import { PictureRenderer } from "@/stage/picture/PictureRenderer";
import { shotOf, stillLoading } from "@/stage/picture/shots";
import { useStudio } from "./studio";

export type ClipFormat = "still" | "png" | "webm" | "mp4";

export interface ClipWish {
  format: ClipFormat;
  width: number;
  height: number;
  samples: number;
  from: number;
  to: number;
}

interface Making {
  wish: ClipWish;
  done: number;
  total: number;
  started: number;
  /** Set by whoever wants it to end. */
  stopping: boolean;
}

interface Clips {
  making: Making | null;
  problem: string;
  made: { id: string; name: string; bytes: number; url: string } | null;
}

export const useClips = create<Clips>()(() => ({ making: null, problem: "", made: null }));

/** Seconds that are still needed, judged by those before; null at the beginning. */
export const secondsLeft = (making: Making, now: number): number | null =>
  making.done > 0 ? ((now - making.started) / 1000 / making.done) * (making.total - making.done) : null;

export const stopClip = (): void => {
  const { making } = useClips.getState();
  if (making) useClips.setState({ making: { ...making, stopping: true } });
};

const breath = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 0));

export async function makeClip(wish: ClipWish): Promise<void> {
  const { trial, document: effect, hidden } = useStudio.getState();
  if (!trial || !effect || useClips.getState().making) return;
  const total = wish.format === "still" ? 1 : wish.to - wish.from + 1;
  useClips.setState({
    making: { wish, done: 0, total, started: performance.now(), stopping: false },
    problem: "",
    made: null,
  });
  let clip = "";
  let renderer: PictureRenderer | null = null;
  try {
    const body = {
      name: effect.name,
      format: wish.format,
      width: wish.width,
      height: wish.height,
      frames_per_second: Number(effect.clock.frames_per_second),
      first: wish.from,
      frames: total,
    };
    clip = (await answered(api.POST("/api/clips", { body }))).id;
    renderer = new PictureRenderer(document.createElement("canvas"), () => undefined);
    if (Math.max(wish.width, wish.height) > renderer.longestSide)
      throw new Refused(`this graphics card draws up to ${renderer.longestSide} pixels a side`, 0);
    renderer.resize(wish.width, wish.height);
    for (let index = 0; index < total; index++) {
      const pixels = await drawn(renderer, trial.id, wish.from + index, wish.samples, hidden);
      if (!pixels) break;
      await send(clip, index, pixels);
      const { making } = useClips.getState();
      if (making) useClips.setState({ making: { ...making, done: index + 1 } });
    }
    const stopped = useClips.getState().making?.stopping;
    if (stopped) {
      await answered(api.DELETE("/api/clips/{clip_id}", { params: { path: { clip_id: clip } } }));
      useClips.setState({ making: null });
      return;
    }
    const made = await answered(api.POST("/api/clips/{clip_id}/finish", { params: { path: { clip_id: clip } } }));
    useClips.setState({
      making: null,
      made: { id: made.id, name: made.name, bytes: made.bytes, url: `/api/clips/${made.id}/file` },
    });
  } catch (error) {
    if (clip) await api.DELETE("/api/clips/{clip_id}", { params: { path: { clip_id: clip } } }).catch(() => undefined);
    useClips.setState({ making: null, problem: (error as Error).message });
  } finally {
    renderer?.dispose();
  }
}

/** One finished picture, or null where one was told to stop. */
async function drawn(
  renderer: PictureRenderer,
  trial: string,
  number: number,
  samples: number,
  hidden: string[],
): Promise<Uint8Array | null> {
  const { document: effect } = useStudio.getState();
  const shot = await shotOf(trial, number, effect!, hidden, samples);
  if (!shot) throw new Refused(`frame ${number} is not computed yet; wait until the clock has got there`, 0);
  renderer.put(shot);
  while (stillLoading()) await new Promise((resolve) => setTimeout(resolve, 20));
  // What was on its way when the frame was put in is there now.
  renderer.put({ ...shot, layers: [...shot.layers] });
  while (renderer.sampled < samples) {
    renderer.sample();
    await breath();
    if (useClips.getState().making?.stopping) return null;
  }
  return renderer.read();
}

async function send(clip: string, index: number, pixels: Uint8Array): Promise<void> {
  const response = await fetch(`/api/clips/${clip}/frames/${index}`, {
    method: "PUT",
    body: pixels as BlobPart as Blob,
    headers: { "Content-Type": "application/octet-stream" },
  }).catch(() => null);
  if (!response) throw new Refused("The server does not answer. Is it still running?", 0);
  if (!response.ok)
    throw new Refused(
      String((await response.json().catch(() => null))?.detail ?? response.statusText),
      response.status,
    );
}
