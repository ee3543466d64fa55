/** Changing what stands in a place: the server decides what fits, what is kept and which values it begins with; the
 * page commits the result. */

import { answered, api, type Refused } from "@/api/client";
import { same, type Effect, type Json, type Node, type Path } from "./document";
import type { Session } from "./session";

interface Change {
  path: Path;
  kind?: string;
  value?: Json;
  given?: Node;
}

/** Another kind at a path, or one more where the path ends just behind a list. */
export const exchange = (session: Session, path: Path, kind: string, given: Node = {}): Promise<boolean> =>
  change(session, { path, kind, given });

/** Another value in a field that others follow: what is held against it, or given to it, begins anew. */
export const refer = (session: Session, path: Path, value: Json): Promise<boolean> => change(session, { path, value });

/** Ask, and commit the answer unless it was taken back meanwhile; says whether it was done. */
async function change(session: Session, { path, kind, value, given }: Change): Promise<boolean> {
  const { withdrawn } = session;
  session.set({ asked: session.state.asked + 1 });
  for (;;) {
    const { document, frame } = session.state;
    const trial = session.run.state.trial?.id ?? null;
    let done = false;
    const place = { path: [...path], kind: kind ?? null, value: value ?? null, given: given ?? {} };
    try {
      const changed = await answered(api.POST("/api/exchange", { body: { document, ...place, trial, frame } }));
      if (session.withdrawn !== withdrawn) return false;
      // What was edited meanwhile stays: the question is asked again with it.
      if (!same(session.state.document, document)) continue;
      done = Boolean(changed.document);
      if (changed.document) session.commit(changed.document as unknown as Effect);
      else session.set({ hint: `That cannot be: ${changed.refused}.` });
    } catch (error) {
      if (session.withdrawn !== withdrawn) return false;
      session.set({ hint: (error as Refused).message });
    }
    session.set({ asked: session.state.asked - 1 });
    return done;
  }
}
