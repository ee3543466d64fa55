/** Keeps the ring on the stage in step with what is hovered or pinned, the playhead and the run. */

import { useEffect } from "react";
import { fetchBlock } from "@/api/client";
import { at } from "@/state/document";
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
    const condition = (document && highlight.path.length ? at(document, highlight.path) : undefined) ?? highlight.condition;
    const body = { condition, path: highlight.path, who: highlight.who, otherwise: highlight.otherwise ?? false };
    fetchBlock<{ of: number }>(`/api/trials/${trial}/frames/${frame}/highlight`, body, abort.signal)
      .then((block) => useStudio.setState({ highlighted: { ids: new Set(block.arrays.ids as Int32Array), of: block.head.of } }))
      .catch(() => undefined);
    return () => abort.abort();
  }, [highlight, trial, frame, ready]);
}
