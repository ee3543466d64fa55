/** The effect as it was before the last edit: a run of its own, shown while a key is held. */

import { useEffect, useState } from "react";
import type { Run } from "@/state/run";
import { useSession, useStudio } from "@/state/use";

export function useBefore(): Run {
  const session = useSession();
  const before = useStudio((state) => state.before);
  const last = useStudio((state) => state.past.at(-1));
  const [run, setRun] = useState<Run | null>(null);
  useEffect(() => {
    if (!before || !last) return;
    const made = session.enter(last);
    // Its stage is shown once there is something on it.
    const stop = made.store.subscribe((state) => state.shown && state.shapes && setRun(made));
    return () => {
      stop();
      setRun(null);
      session.leave(made);
    };
  }, [session, before, last]);
  return run ?? session.run;
}
