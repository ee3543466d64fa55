/** One queue of saves for each effect: what was typed is saved under the effect it was typed in, however fast one leaves.
 *
 * A queue holds the newest document and the revision that it was made from. It has one save on its way at a time; one that fails for want of a
 * server is tried again and told. Until it is done, what is not saved yet is kept in the tab's own storage, so that even a reload loses nothing. */

import { answered, api, Refused } from "@/api/client";
import { canonical, type Effect } from "./document";

export type Saving =
  | { state: "saved" }
  | { state: "saving" }
  | { state: "failed"; message: string }
  | { state: "conflict"; message: string };

interface Queue {
  revision: number;
  /** The newest document, if it is not stored yet. */
  waiting: Effect | null;
  /** What is on its way to the server. */
  sent: Effect | null;
  saving: Saving;
  tries: number;
  done: (() => void)[];
}

/** What a tab keeps of an effect that is not saved yet. */
interface Draft {
  base: number;
  sent: string | null;
  document: Effect;
}

const PAUSES = [500, 1000, 2000, 5000, 10000];
const queues = new Map<string, Queue>();

/** This tab, the same after a reload. */
export const TAB = sessionStorage.getItem("tab") ?? Math.random().toString(36).slice(2, 10);
sessionStorage.setItem("tab", TAB);

let told: (id: string, saving: Saving, revision: number) => void = () => undefined;
/** Who is told of how saving goes. */
export const onSaving = (listener: typeof told): void => void (told = listener);

const queueOf = (id: string): Queue => {
  const known = queues.get(id);
  if (known) return known;
  const made: Queue = { revision: 0, waiting: null, sent: null, saving: { state: "saved" }, tries: 0, done: [] };
  queues.set(id, made);
  return made;
};

const tell = (id: string, saving: Saving): void => {
  const queue = queueOf(id);
  queue.saving = saving;
  told(id, saving, queue.revision);
};

/** Save a document of an effect, as soon as what is on its way has arrived. */
export function enqueue(id: string, document: Effect): void {
  const queue = queueOf(id);
  queue.waiting = document;
  queue.tries = 0;
  keep(id, queue);
  if (queue.saving.state !== "conflict") void pump(id);
}

async function pump(id: string): Promise<void> {
  const queue = queueOf(id);
  if (queue.sent || !queue.waiting || queue.saving.state === "conflict") return;
  const document = queue.waiting;
  [queue.sent, queue.waiting] = [document, null];
  keep(id, queue);
  tell(id, { state: "saving" });
  let after: Saving = { state: "saved" };
  try {
    const body = { revision: queue.revision, document: document as unknown as Record<string, never>, tab: TAB };
    const saved = await answered(api.PUT("/api/effects/{effect_id}", { params: { path: { effect_id: id } }, body }));
    queue.revision = saved.revision;
    queue.tries = 0;
  } catch (error) {
    const { status, message } = error as Refused;
    queue.waiting ??= document;
    after = { state: status === 409 ? "conflict" : "failed", message };
    // A server that is away or busy is asked again; a document that is refused stays refused until it is changed.
    if (!(status >= 400 && status < 500))
      setTimeout(() => void pump(id), PAUSES[Math.min(queue.tries++, PAUSES.length - 1)]);
  }
  queue.sent = null;
  if (after.state === "saved" && queue.waiting) return pump(id);
  keep(id, queue);
  tell(id, after);
  queue.done.splice(0).forEach((resolve) => resolve());
}

/** Whatever is being saved of an effect has arrived, or cannot. */
export function settled(id: string): Promise<void> {
  const queue = queueOf(id);
  return queue.sent ? new Promise((resolve) => queue.done.push(resolve)) : Promise.resolve();
}

/** Try at once to save what could not be saved. */
export const tryAgain = (id: string): void => void pump(id);

/** Somebody else has saved the effect: nothing more is sent until one has chosen. */
export function disagree(id: string, message: string): void {
  tell(id, { state: "conflict", message });
}

/** Go on from another revision of the effect, with nothing waiting or with this document. */
export function goOn(id: string, revision: number, document: Effect | null = null): void {
  const queue = queueOf(id);
  queue.revision = revision;
  queue.waiting = document;
  queue.saving = { state: "saved" };
  keep(id, queue);
  tell(id, { state: "saved" });
  if (document) void pump(id);
}

export const savingOf = (id: string): Saving => queueOf(id).saving;
export const revisionOf = (id: string): number => queueOf(id).revision;

/** What of an effect is not stored yet, from this page's life or that of the page before; `stored` is what the server has. */
export function unsaved(
  id: string,
  stored: { revision: number; document: Effect },
): { document: Effect; conflict: boolean } | null {
  const queue = queueOf(id);
  if (queue.waiting) return { document: queue.waiting, conflict: queue.revision !== stored.revision };
  const text = sessionStorage.getItem(`draft ${id}`);
  if (!text) return null;
  sessionStorage.removeItem(`draft ${id}`);
  const draft = JSON.parse(text) as Draft;
  if (canonical(draft.document) === canonical(stored.document)) return null;
  // The server may have stored what was on its way when the page went.
  const mine = draft.base === stored.revision || (draft.sent !== null && draft.sent === canonical(stored.document));
  return { document: draft.document, conflict: !mine };
}

function keep(id: string, queue: Queue): void {
  const document = queue.waiting ?? queue.sent;
  try {
    if (!document) sessionStorage.removeItem(`draft ${id}`);
    else
      sessionStorage.setItem(
        `draft ${id}`,
        JSON.stringify({ base: queue.revision, sent: queue.sent && canonical(queue.sent), document } satisfies Draft),
      );
  } catch {
    // Storage is full: what is not saved yet lives in this page only, which asks before it is left.
  }
}

/** Whether anything is on its way, or could not be stored. */
export const anythingUnsaved = (): boolean =>
  [...queues.values()].some((queue) => queue.sent !== null || queue.waiting !== null);

window.addEventListener("beforeunload", (event) => {
  // With something unsaved, the browser asks whether one means to leave.
  if (anythingUnsaved()) event.preventDefault();
});
