/** Getting what a picture needs of a frame: the frame with its motion, the settings, the camera. */

import { fetchBlock } from "@/api/client";
import type { Effect } from "@/state/document";
import type { FrameBlock, FrameHead, ViewHead } from "@/state/frames";
import { keysOf, valueNow } from "@/state/keys";
import type { Session } from "@/state/session";
import { asSeen, layersOf } from "../drawing/data";
import type { Settings, Shot } from "./PictureRenderer";

/** A frame, with velocities where it is exposed for a while. */
async function frameFor(session: Session, trial: string, number: number, exposed: boolean): Promise<FrameBlock | null> {
  const { frames } = session.run;
  if (!exposed) return frames.load(trial, number);
  // Kept beside those of the stage, under a name of their own.
  const there = frames.get(`${trial} moving`, number);
  if (there) return there;
  const address = `/api/trials/${trial}/frames/${number}?motion=true`;
  const block = await fetchBlock<FrameHead>(address).catch(() => null);
  if (block) frames.put(`${trial} moving`, number, block);
  return block;
}

const VIEW = ["position", "target", "field_of_view", "focus"] as const;

/** Everything to draw a picture of a frame; null where the frame is not there. Layers of the shot `before` serve again
 * where they are of the same frame: whoever looks around does not have them built anew. */
export async function shotOf(
  session: Session,
  trial: string,
  number: number,
  hidden: string[] = [],
  samples?: number,
  before: Shot | null = null,
): Promise<Shot | null> {
  const effect: Effect = session.state.document;
  const span = 1 / effect.clock.frames_per_second;
  const settingsAt = (frame: FrameBlock | null): Settings => {
    // A number that has just got its first keyframe has none in frames that were computed before.
    const now = Object.entries(effect.picture).map(([name, given]) => [
      name,
      valueNow(given, frame?.head.keyed[`picture/${name}`], number * span),
    ]);
    return { ...(Object.fromEntries(now) as unknown as Settings), ...(samples ? { samples } : {}) };
  };
  const frame = await frameFor(session, trial, number, settingsAt(null).shutter > 0);
  if (!frame) return null;
  const settings = settingsAt(frame);
  const own = settings.camera === "own";
  // What has no keyframes is known here and now; the rest as the server has it at this frame.
  const unkeyed = VIEW.filter((name) => !keysOf(effect.picture[name])).map((name) => [name, effect.picture[name]]);
  const still = Object.fromEntries(unkeyed) as Partial<ViewHead>;
  const { position, target } = session.viewpoint.pose;
  const seen = { position: [...position], target: [...target] } as Pick<ViewHead, "position" | "target">;
  const from = (view: ViewHead): ViewHead => ({ ...view, ...still, ...(own ? {} : seen) });
  const { view } = frame.head;
  const { groups } = effect;
  const again = before?.frame === frame && before.hidden === hidden && before.groups === groups;
  return {
    trial,
    frame,
    layers: again ? before.layers : asSeen(layersOf(frame), groups, hidden, false),
    hidden,
    groups,
    shapes: session.run.state.shapes,
    settings,
    view: from(view),
    next: from(frame.head.view_next ?? view),
    span,
  };
}
