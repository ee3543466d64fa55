/** Keeps the ring on the stage in step with what is hovered or pinned, the playhead and the run. */

import { useEffect } from "react";
import type { LayerData } from "@/stage/drawing/data";
import { fetchBlock } from "@/api/client";
import { addressOf, at } from "@/state/document";
import { useStudio } from "@/state/studio";

export function useHighlighting(): void {
  const highlight = useStudio((state) => state.highlight);
  const trial = useStudio((state) => state.trial?.id);
  const frame = useStudio((state) => state.frame);
  const ready = useStudio((state) => !!state.trial && state.frame < state.trial.computed);
  useEffect(() => {
    if (!highlight || !trial || !ready) return;
    const abort = new AbortController();
    // A pinned condition is meant as it stands now, after a threshold has been dragged as well.
    const { document } = useStudio.getState();
    const condition =
      (document && highlight.path.length ? at(document, highlight.path) : undefined) ?? highlight.condition;
    const path = document ? addressOf(document, highlight.path).split("/") : [];
    const body = { condition, path, who: highlight.who, otherwise: highlight.otherwise ?? false };
    fetchBlock<{ of: number; turn: boolean }>(`/api/trials/${trial}/frames/${frame}/highlight`, body, abort.signal)
      .then(({ head, arrays }) => {
        const gone = arrays.left as Int32Array;
        const ids = new Set([...(arrays.ids as Int32Array), ...gone]);
        const left = gone.length
          ? departed(gone, arrays.left_places as Float32Array, arrays.left_radii as Float32Array)
          : null;
        useStudio.setState({ highlighted: { ids, of: head.of, turn: head.turn, left } });
      })
      .catch(() => undefined);
    return () => abort.abort();
  }, [highlight, trial, frame, ready]);
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
