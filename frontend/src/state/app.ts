/** What lives as long as the page: saves, news from the server, preferences, uploads and clips. Made once, in main. */

import { createStore, type StoreApi } from "zustand/vanilla";
import { answered, api, type Catalogue } from "@/api/client";
import { knowUnits } from "@/ui/typed";
import { Clips } from "./clips";
import type { Effect } from "./document";
import { Openings } from "./openings";
import { preferences, type Preferences } from "./preferences";
import { Saves } from "./saving";
import { Session } from "./session";

export interface Connection {
  connected: boolean;
  /** Raised when the library page has something new to show. */
  libraryNews: number;
}

const RETRY = 1500;

export class App {
  readonly saves = new Saves();
  readonly preferences: StoreApi<Preferences> = preferences();
  readonly connection: StoreApi<Connection> = createStore<Connection>()(() => ({ connected: true, libraryNews: 0 }));
  /** What is being done with each upload, by its ticket. */
  readonly uploads: StoreApi<Record<string, string>> = createStore<Record<string, string>>()(() => ({}));
  readonly clips = new Clips();
  readonly openings = new Openings();
  private readonly sessions = new Set<Session>();
  private fetched: Promise<Catalogue> | null = null;

  /** What all effects are made of; asked for once. */
  catalogue(): Promise<Catalogue> {
    this.fetched ??= answered(api.GET("/api/catalogue")).then(
      (catalogue) => {
        knowUnits(catalogue.measures);
        return catalogue;
      },
      (error: Error) => {
        this.fetched = null;
        throw error;
      },
    );
    return this.fetched;
  }

  async open(id: string): Promise<Session> {
    // What is still being saved of it is waited for: else the old document would come back and later be stored over the new one.
    await this.saves.of(id).settled();
    const asked = answered(api.GET("/api/effects/{effect_id}", { params: { path: { effect_id: id } } }));
    const [catalogue, effect] = await Promise.all([this.catalogue(), asked]);
    const document = effect.document as unknown as Effect;
    const session = new Session(this, id, catalogue, { revision: effect.revision, document });
    this.sessions.add(session);
    return session;
  }

  close(session: Session): void {
    session.close();
    this.sessions.delete(session);
  }

  /** The socket for news. It reconnects by itself; after a gap runs are asked for again, so nothing is missed. */
  connect(): void {
    const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/live`);
    let opened = false;
    socket.onopen = () => {
      opened = true;
      if (!this.connection.getState().connected) this.everyRun((run) => run.again());
      this.connection.setState({ connected: true });
    };
    socket.onmessage = (event: MessageEvent<string>) => this.hear(JSON.parse(event.data));
    socket.onclose = () => {
      if (opened) this.connection.setState({ connected: false });
      setTimeout(() => this.connect(), RETRY);
    };
  }

  private everyRun(act: (run: Session["run"]) => void): void {
    for (const session of this.sessions) session.runs.forEach(act);
  }

  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- the socket's messages have no schema
  private hear(news: any): void {
    const { libraryNews } = this.connection.getState();
    const mine = [...this.sessions].filter((session) => session.id === news.effect);
    if (news.type === "saved") {
      this.connection.setState({ libraryNews: libraryNews + 1 });
      if (news.tab !== this.saves.tab) mine.forEach((open) => open.savedElsewhere(news.revision, news.same ?? null));
    } else if (news.type === "poster") this.connection.setState({ libraryNews: libraryNews + 1 });
    else if (news.type === "upload") this.uploads.setState({ [news.ticket]: news.stage });
    else mine.forEach((session) => session.runs.forEach((run) => run.hear(news)));
  }
}
