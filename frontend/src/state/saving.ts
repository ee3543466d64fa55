/** One queue of saves for each effect: what was typed is saved under the effect it was typed in, however fast one leaves.
 *
 * A queue holds the newest document and the revision that it was made from. It has one save on its way at a time; one
 * that fails for want of a server is tried again and told. Until it is done, what is not saved yet is kept in the tab's
 * own storage, so that even a reload loses nothing. Queues outlive the sessions that feed them. */

import { answered, api, Refused } from "@/api/client";
import { canonical, type Effect } from "./document";

export type Saving =
  | { state: "saved" }
  | { state: "saving" }
  | { state: "failed"; message: string }
  | { state: "conflict"; message: string };

/** What a tab keeps of an effect that is not saved yet. */
interface Draft {
  base: number;
  sent: string | null;
  document: Effect;
}

type Listener = (saving: Saving, revision: number) => void;

const PAUSES = [500, 1000, 2000, 5000, 10000];

/** The saves of one effect. */
export class SaveQueue {
  revision = 0;
  saving: Saving = { state: "saved" };
  /** Who is told of how saving goes: the session that is open, if any. */
  listener: Listener | null = null;
  /** The newest document, if it is not stored yet. */
  private waiting: Effect | null = null;
  /** What is on its way to the server. */
  private sent: Effect | null = null;
  private tries = 0;
  private done: (() => void)[] = [];

  constructor(
    private readonly id: string,
    /** This tab, the same after a reload. */
    private readonly tab: string,
  ) {}

  /** Save a document, as soon as what is on its way has arrived. */
  enqueue(document: Effect): void {
    this.waiting = document;
    this.tries = 0;
    this.keep();
    if (this.saving.state !== "conflict") void this.pump();
  }

  /** Whatever is being saved has arrived, or cannot. */
  settled(): Promise<void> {
    return this.sent ? new Promise((resolve) => this.done.push(resolve)) : Promise.resolve();
  }

  /** Try at once to save what could not be saved. */
  tryAgain(): void {
    void this.pump();
  }

  /** Somebody else has saved the effect: nothing more is sent until one has chosen. */
  disagree(message: string): void {
    this.tell({ state: "conflict", message });
  }

  /** Go on from another revision of the effect, with nothing waiting or with this document. */
  goOn(revision: number, document: Effect | null = null): void {
    this.revision = revision;
    this.waiting = document;
    this.keep();
    this.tell({ state: "saved" });
    if (document) void this.pump();
  }

  /** What is not stored yet, from this page's life or that of the page before; `stored` is what the server has. */
  unsaved(stored: { revision: number; document: Effect }): { document: Effect; conflict: boolean } | null {
    if (this.waiting) return { document: this.waiting, conflict: this.revision !== stored.revision };
    const text = sessionStorage.getItem(`draft ${this.id}`);
    if (!text) return null;
    sessionStorage.removeItem(`draft ${this.id}`);
    const draft = JSON.parse(text) as Draft;
    if (canonical(draft.document) === canonical(stored.document)) return null;
    // The server may have stored what was on its way when the page went.
    const mine = draft.base === stored.revision || (draft.sent !== null && draft.sent === canonical(stored.document));
    return { document: draft.document, conflict: !mine };
  }

  /** Whether anything is on its way, or could not be stored. */
  get open(): boolean {
    return this.sent !== null || this.waiting !== null;
  }

  private async pump(): Promise<void> {
    if (this.sent || !this.waiting || this.saving.state === "conflict") return;
    const document = this.waiting;
    [this.sent, this.waiting] = [document, null];
    this.keep();
    this.tell({ state: "saving" });
    let after: Saving = { state: "saved" };
    try {
      const saved = await answered(
        api.PUT("/api/effects/{effect_id}", {
          params: { path: { effect_id: this.id } },
          body: { revision: this.revision, document, tab: this.tab },
        }),
      );
      this.revision = saved.revision;
      this.tries = 0;
    } catch (error) {
      const { status, message } = error as Refused;
      this.waiting ??= document;
      after = { state: status === 409 ? "conflict" : "failed", message };
      // A server that is away or busy is asked again; a document that is refused stays refused until it is changed.
      if (!(status >= 400 && status < 500)) {
        setTimeout(() => void this.pump(), PAUSES[Math.min(this.tries++, PAUSES.length - 1)]);
      }
    }
    this.sent = null;
    if (after.state === "saved" && this.waiting) return this.pump();
    this.keep();
    this.tell(after);
    this.done.splice(0).forEach((resolve) => resolve());
  }

  private tell(saving: Saving): void {
    this.saving = saving;
    this.listener?.(saving, this.revision);
  }

  private keep(): void {
    const document = this.waiting ?? this.sent;
    const name = `draft ${this.id}`;
    try {
      if (!document) return sessionStorage.removeItem(name);
      const draft: Draft = { base: this.revision, sent: this.sent && canonical(this.sent), document };
      sessionStorage.setItem(name, JSON.stringify(draft));
    } catch {
      // Storage is full: what is not saved yet lives in this page only, which asks before it is left.
    }
  }
}

/** The queues of all effects that were opened in this page's life. */
export class Saves {
  /** This tab, the same after a reload. */
  readonly tab: string;
  private readonly queues = new Map<string, SaveQueue>();

  constructor() {
    this.tab = sessionStorage.getItem("tab") ?? Math.random().toString(36).slice(2, 10);
    sessionStorage.setItem("tab", this.tab);
    window.addEventListener("beforeunload", (event) => {
      // With something unsaved, the browser asks whether one means to leave.
      if ([...this.queues.values()].some((queue) => queue.open)) event.preventDefault();
    });
  }

  of(id: string): SaveQueue {
    const known = this.queues.get(id);
    if (known) return known;
    const made = new SaveQueue(id, this.tab);
    this.queues.set(id, made);
    return made;
  }
}
