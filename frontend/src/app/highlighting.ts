/** Keeps the ring on the stage in step with what is hovered or pinned, the playhead and the run. */

import { useEffect } from "react";
import { asFloats, asWhole } from "@/api/block";
import { fetchBlock } from "@/api/client";
import type { LayerData } from "@/stage/drawing/data";
import { addressOf, at } from "@/state/document";
import type { Session } from "@/state/session";
import { useSession } from "@/state/use";

export function useHighlighting(): void {
  const session = useSession();
  useEffect(() => follow(session), [session]);
}

interface Ringed {
  of: number;
  turn: boolean;
}

/** Asks for those ringed whenever what is asked changes; returns how to stop. */
function follow(session: Session): () => void {
  let asked = "";
  let abort = new AbortController();
  const update = () => {
    const { highlight, frame, document } = session.state;
    const { trial } = session.run.state;
    const ready = trial !== null && frame < trial.computed;
    const key = highlight && ready ? JSON.stringify([highlight.key, highlight.pinned, trial.id, frame]) : "";
    if (key === asked) return;
    asked = key;
    abort.abort();
    abort = new AbortController();
    if (!highlight || !ready) return;
    // A pinned condition is meant as it stands now, after a threshold has been dragged as well.
    const there = highlight.path.length ? at(document, highlight.path) : undefined;
    const body = {
      condition: there ?? highlight.condition,
      path: addressOf(document, highlight.path).split("/"),
      who: highlight.who,
      otherwise: highlight.otherwise ?? false,
    };
    fetchBlock<Ringed>(`/api/trials/${trial.id}/frames/${frame}/highlight`, body, abort.signal)
      .then((block) => {
        const gone = asWhole(block, "left");
        const ids = new Set([...asWhole(block, "ids"), ...gone]);
        const left = gone.length ? departed(gone, asFloats(block, "left_places"), asFloats(block, "left_radii")) : null;
        session.set({ highlighted: { ids, of: block.head.of, turn: block.head.turn, left } });
      })
      .catch(() => undefined);
  };
  const stops = [session.store.subscribe(update), session.run.store.subscribe(update)];
  update();
  return () => {
    abort.abort();
    stops.forEach((stop) => stop());
  };
}

const PALE = 150;

/** Those who have left, drawn as faint balls where they did. */
function departed(id: Int32Array, position: Float32Array, radius: Float32Array): LayerData {
  const color = new Uint8Array(id.length * 4).fill(PALE);
  const head = {
    look: "",
    shader: "ball" as const,
    count: id.length,
    solid: false,
    seeThrough: true,
    mixing: "over" as const,
    tiny: true,
  };
  return { head, position, radius, color, id, group: new Uint8Array(id.length), extra: {} };
}
