/** Getting what a picture needs of a frame: the frame with its motion, the settings, the camera. */

import { fetchBlock } from "@/api/client";
import type { Effect } from "@/state/document";
import { keysOf, valueNow } from "@/state/keys";
import { load, usePicture, type FrameBlock, type FrameHead, type ViewHead } from "@/state/trials";
import { asSeen, layersOf, type LayerData } from "../drawing/data";
import { loadingForms } from "../drawing/forms";
import { loadingSheets } from "../drawing/textures";
import type { Settings, Shot } from "./PictureRenderer";

/** The stage's camera, told by whoever moves it: pictures are seen from there unless they have a camera of their own. */
export const stagePose: { position: [number, number, number]; target: [number, number, number] } = {
  position: [5, 4, 9],
  target: [0, 1, 0],
};

const moving = new Map<string, FrameBlock>();
const MOVING_KEPT = 24;
const seen = new WeakMap<FrameBlock, { key: string; layers: LayerData[] }>();

/** A frame, with velocities where it is exposed for a while. */
async function frameFor(trial: string, number: number, exposed: boolean): Promise<FrameBlock | null> {
  if (!exposed) return load(trial, number);
  const key = `${trial}/${number}`;
  const there = moving.get(key);
  if (there) return there;
  const block = await fetchBlock<FrameHead>(`/api/trials/${trial}/frames/${number}?motion=true`).catch(() => null);
  if (block) {
    moving.set(key, block);
    if (moving.size > MOVING_KEPT) moving.delete(moving.keys().next().value as string);
  }
  return block;
}

/** Everything to draw a picture of a frame; null where the frame is not there. */
export async function shotOf(
  trial: string,
  number: number,
  effect: Effect,
  hidden: string[] = [],
  samples?: number,
): Promise<Shot | null> {
  const span = 1 / Number(effect.clock.frames_per_second);
  const settingsAt = (frame: FrameBlock | null): Settings => {
    // A number that has just got its first keyframe has none in frames that were computed before.
    const now = Object.entries(effect.picture).map(([name, given]) => [
      name,
      valueNow(given, frame?.head.keyed[`picture/${name}`], number * span),
    ]);
    return { ...(Object.fromEntries(now) as unknown as Settings), ...(samples ? { samples } : {}) };
  };
  const frame = await frameFor(trial, number, settingsAt(null).shutter > 0);
  if (!frame) return null;
  const settings = settingsAt(frame);
  const key = JSON.stringify(hidden);
  let known = seen.get(frame);
  if (known?.key !== key) {
    known = { key, layers: asSeen(layersOf(frame), effect.groups, hidden, false) };
    seen.set(frame, known);
  }
  const own = settings.camera === "own";
  // What has no keyframes is known here and now; the rest as the server has it at this frame.
  const still = Object.fromEntries(
    (["position", "target", "field_of_view", "focus"] as const)
      .filter((name) => !keysOf(effect.picture[name]))
      .map((name) => [name, effect.picture[name]]),
  ) as Partial<ViewHead>;
  const from = (view: ViewHead): ViewHead => ({
    ...view,
    ...still,
    ...(own ? {} : { position: [...stagePose.position], target: [...stagePose.target] }),
  });
  const { view } = frame.head;
  return {
    trial,
    frame,
    layers: known.layers,
    shapes: usePicture.getState().shapes,
    settings,
    view: from(view),
    next: from(frame.head.view_next ?? view),
    span,
  };
}

/** Whether pictures or forms are still on their way. */
export const stillLoading = (): boolean => loadingSheets() + loadingForms() > 0;
