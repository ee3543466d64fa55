/** The socket for news. It reconnects by itself; after a gap the run is asked for again, so nothing is missed. */

import { create } from "zustand";
import { hear, runAgain } from "./trials";
import { TAB } from "./saving";
import { hearUpload } from "./uploads";
import { savedElsewhere, useStudio } from "./studio";

interface Connection {
  connected: boolean;
  /** Raised when the library page has something new to show. */
  libraryNews: number;
}
export const useConnection = create<Connection>()(() => ({ connected: true, libraryNews: 0 }));

const RETRY = 1500;

export function connect(): void {
  const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/live`);
  let opened = false;
  socket.onopen = () => {
    opened = true;
    if (!useConnection.getState().connected) runAgain();
    useConnection.setState({ connected: true });
  };
  socket.onmessage = (event: MessageEvent<string>) => {
    const news = JSON.parse(event.data);
    if (news.type === "saved") {
      useConnection.setState({ libraryNews: useConnection.getState().libraryNews + 1 });
      if (news.tab !== TAB && news.effect === useStudio.getState().id)
        savedElsewhere(news.effect, news.revision, news.same ?? null);
    } else if (news.type === "poster") {
      useConnection.setState({ libraryNews: useConnection.getState().libraryNews + 1 });
    } else if (news.type === "upload") hearUpload(news.ticket, news.stage);
    else hear(news);
  };
  socket.onclose = () => {
    if (opened) useConnection.setState({ connected: false });
    setTimeout(connect, RETRY);
  };
}
