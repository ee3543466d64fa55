/** The page's stores as React reads them: the app's, the opened effect's, and those of the run that a stage shows. */

import { createContext, useCallback, useContext, useSyncExternalStore } from "react";
import { useStore } from "zustand";
import type { App, Connection } from "./app";
import type { Path } from "./document";
import type { Preferences } from "./preferences";
import type { FrameStats, Run, RunState } from "./run";
import type { Session, SessionState } from "./session";

export const AppContext = createContext<App | null>(null);
export const SessionContext = createContext<Session | null>(null);
/** The run that a stage shows, where it is not the session's own. */
export const RunContext = createContext<Run | null>(null);

const there = <T>(value: T | null, what: string): T => {
  if (value === null) throw new Error(`${what} is asked for outside of it`);
  return value;
};

export const useApp = (): App => there(useContext(AppContext), "the app");
export const useSession = (): Session => there(useContext(SessionContext), "an opened effect");

export function useRunOf(): Run {
  const session = useSession();
  return useContext(RunContext) ?? session.run;
}

export const useConnection = <T>(select: (state: Connection) => T): T => useStore(useApp().connection, select);
export const usePreferences = <T>(select: (state: Preferences) => T): T => useStore(useApp().preferences, select);
export const useStage = (ticket: string): string => useStore(useApp().uploads, (state) => state[ticket] ?? "");

/** Something of the opened effect. */
export const useStudio = <T>(select: (state: SessionState) => T): T => useStore(useSession().store, select);

/** Something of the run that is shown. */
export const useRun = <T>(select: (state: RunState) => T): T => useStore(useRunOf().store, select);

/** Something of the run that the effect is compared with; null where it is compared with none. */
export function useBeside<T>(select: (state: RunState) => T): T | null {
  const run = useStudio((state) => state.comparing?.run ?? null);
  const subscribe = useCallback((changed: () => void) => run?.store.subscribe(changed) ?? (() => undefined), [run]);
  return useSyncExternalStore(subscribe, () => (run ? select(run.state) : null));
}

/** Something of the run at the playhead; `select` gives what stays the same value as long as it means the same. */
export function useNow<T>(select: (now: FrameStats | undefined, frame: number, run: RunState) => T): T {
  const session = useSession();
  const run = useRunOf();
  const subscribe = useCallback(
    (changed: () => void) => {
      const stops = [session.store.subscribe(changed), run.store.subscribe(changed)];
      return () => stops.forEach((stop) => stop());
    },
    [session, run],
  );
  return useSyncExternalStore(subscribe, () => {
    const { frame } = session.state;
    return select(run.state.stats[frame], frame, run.state);
  });
}

/** The time that keyframes at `path` are measured in at the playhead (seconds). */
export function useTimeAt(path: Path): number {
  const { frames_per_second, time_from } = useStudio((state) => state.document.clock);
  const own = time_from === "curve" && path[0] !== "clock";
  return useNow((now, frame) => (own && now ? now.time : frame / frames_per_second));
}
