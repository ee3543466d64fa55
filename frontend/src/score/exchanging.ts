/** Changing what stands in a place: the server decides what fits, what is kept and which values it begins with; the page commits the result. */

import { answered, api, type Refused } from "@/api/client";
import { same, type Effect, type Json, type Node, type Path } from "@/state/document";
import { commit, useStudio } from "@/state/studio";

interface Change {
  path: Path;
  kind?: string;
  value?: Json;
  given?: Node;
}

/** Another kind at a path, or one more where the path ends just behind a list. */
export const exchange = (path: Path, kind: string, given: Node = {}): Promise<void> => change({ path, kind, given });

/** Another value in a field that others follow: what is held against it, or given to it, begins anew. */
export const refer = (path: Path, value: Json): Promise<void> => change({ path, value });

async function change({ path, kind, value, given }: Change): Promise<void> {
  for (;;) {
    const { document, trial, frame } = useStudio.getState();
    if (!document) return;
    const body = {
      document: document as unknown as Record<string, never>,
      path: [...path],
      kind: kind ?? null,
      value: value ?? null,
      given: given ?? {},
      trial: trial?.id ?? null,
      frame,
    };
    try {
      const changed = await answered(api.POST("/api/exchange", { body: body as never }));
      // What was edited meanwhile stays: the question is asked again with it.
      if (!same(useStudio.getState().document, document)) continue;
      if (changed.document) commit(changed.document as unknown as Effect);
      else useStudio.setState({ hint: `That cannot be: ${changed.refused}.` });
    } catch (error) {
      useStudio.setState({ hint: (error as Refused).message });
    }
    return;
  }
}
