/** Making stills and clips: frame by frame, drawn here and written by the server, with progress, an estimate and a stop. */

import { createStore, type StoreApi } from "zustand/vanilla";
import { answered, api, Refused } from "@/api/client";
import type { PictureRenderer } from "@/stage/picture/PictureRenderer";
import { fetched } from "@/ui/late";
import type { Session } from "./session";

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

interface ClipsState {
  making: Making | null;
  problem: string;
  made: { id: string; name: string; bytes: number; url: string } | null;
}

/** Seconds that are still needed, judged by those before; null at the beginning. */
export const secondsLeft = (making: Making, now: number): number | null =>
  making.done > 0 ? ((now - making.started) / 1000 / making.done) * (making.total - making.done) : null;

const breath = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 0));

export class Clips {
  readonly store: StoreApi<ClipsState> = createStore<ClipsState>()(() => ({ making: null, problem: "", made: null }));

  stop(): void {
    const { making } = this.store.getState();
    if (making) this.store.setState({ making: { ...making, stopping: true } });
  }

  async make(session: Session, wish: ClipWish): Promise<void> {
    const { document: effect, hidden } = session.state;
    const { trial } = session.run.state;
    if (!trial || this.store.getState().making) return;
    const total = wish.format === "still" ? 1 : wish.to - wish.from + 1;
    const making = { wish, done: 0, total, started: performance.now(), stopping: false };
    this.store.setState({ making, problem: "", made: null });
    let clip = "";
    let renderer: PictureRenderer | null = null;
    try {
      const body = {
        name: effect.name,
        format: wish.format,
        width: wish.width,
        height: wish.height,
        frames_per_second: effect.clock.frames_per_second,
        first: wish.from,
        frames: total,
      };
      clip = (await answered(api.POST("/api/clips", { body }))).id;
      const { PictureRenderer: Renderer } = await fetched(() => import("@/stage/picture/PictureRenderer"));
      renderer = new Renderer(document.createElement("canvas"), () => undefined);
      const longest = renderer.longestSide;
      if (Math.max(wish.width, wish.height) > longest) {
        throw new Refused(`this graphics card draws up to ${longest} pixels a side`, 0);
      }
      renderer.resize(wish.width, wish.height);
      for (let index = 0; index < total; index++) {
        const pixels = await this.drawn(renderer, session, trial.id, wish.from + index, wish.samples, hidden);
        if (!pixels) break;
        await send(clip, index, pixels);
        const now = this.store.getState().making;
        if (now) this.store.setState({ making: { ...now, done: index + 1 } });
      }
      const params = { path: { clip_id: clip } };
      if (this.store.getState().making?.stopping) {
        await answered(api.DELETE("/api/clips/{clip_id}", { params }));
        return this.store.setState({ making: null });
      }
      const made = await answered(api.POST("/api/clips/{clip_id}/finish", { params }));
      const told = { id: made.id, name: made.name, bytes: made.bytes, url: `/api/clips/${made.id}/file` };
      this.store.setState({ making: null, made: told });
    } catch (error) {
      const params = { path: { clip_id: clip } };
      if (clip) await api.DELETE("/api/clips/{clip_id}", { params }).catch(() => undefined);
      this.store.setState({ making: null, problem: (error as Error).message });
    } finally {
      renderer?.dispose();
    }
  }

  /** One finished picture, or null where one was told to stop. */
  private async drawn(
    renderer: PictureRenderer,
    session: Session,
    trial: string,
    number: number,
    samples: number,
    hidden: string[],
  ): Promise<Uint8Array | null> {
    const { shotOf } = await fetched(() => import("@/stage/picture/shots"));
    const shot = await shotOf(session, trial, number, hidden, samples);
    if (!shot) throw new Refused(`frame ${number} is not computed yet; wait until the clock has got there`, 0);
    renderer.put(shot);
    while (renderer.waiting) await new Promise((resolve) => setTimeout(resolve, 20));
    // What was on its way when the frame was put in is there now.
    renderer.put({ ...shot, layers: [...shot.layers] });
    while (renderer.sampled < samples) {
      renderer.sample();
      await breath();
      if (this.store.getState().making?.stopping) return null;
    }
    return renderer.read();
  }
}

async function send(clip: string, index: number, pixels: Uint8Array): Promise<void> {
  const response = await fetch(`/api/clips/${clip}/frames/${index}`, {
    method: "PUT",
    body: pixels as BlobPart as Blob,
    headers: { "Content-Type": "application/octet-stream" },
  }).catch(() => null);
  if (!response) throw new Refused("The server does not answer. Is it still running?", 0);
  if (response.ok) return;
  const said = await response.json().catch(() => null);
  throw new Refused(String(said?.detail ?? response.statusText), response.status);
}
