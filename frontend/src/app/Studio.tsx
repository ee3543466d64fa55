/** One open effect: the score on the left, the stage with the clock below it, the lens over the stage's edge. */

import { Tooltip } from "radix-ui";
import { Suspense, useEffect, useMemo, useState } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { Clock } from "@/clock/Clock";
import { LensPane } from "@/lens/LensPane";
import { Score } from "@/score/Score";
import { SideBySide } from "@/stage/Beside";
import { Stage } from "@/stage/Stage";
import type { Refused } from "@/api/client";
import type { Session } from "@/state/session";
import { CheckProvider } from "@/state/advisories";
import { ForecastProvider } from "@/state/forecast";
import { SessionContext, useApp, usePreferences, useSession, useStudio } from "@/state/use";
import { Button, Dialog } from "@/ui/controls";
import { ahead, late } from "@/ui/late";
import { commands } from "./commands";
import { FirstHints } from "./FirstHints";
import { useHighlighting } from "./highlighting";
import { useKeys } from "./keyboard";
import { Opening } from "./Opening";
// Not fetched late: who knows it types on behind its key, and every letter would be another key.
import { Palette } from "./Palette";
import { ScorePane } from "./ScorePane";
import { SaveState, TopBar } from "./TopBar";

const Shortcuts = late(() => import("./Shortcuts"), "Shortcuts");
const table = () => import("@/table/TableDrawer");
const TableDrawer = late(table, "TableDrawer");
const Versions = late(() => import("./Versions"), "Versions");

/** Milliseconds until a server that did not answer is asked again. */
const AGAIN = 2000;

export type Window = "palette" | "shortcuts" | "versions" | null;

/** What whoever leads here says of the effect: that it is new, or what its stage will show first. */
export interface Arrived {
  fresh?: boolean;
  opening?: string | null;
}

/** Opens the effect of the address, and closes it when one leaves. */
export function Studio() {
  const { id } = useParams();
  const app = useApp();
  const navigate = useNavigate();
  const location = useLocation();
  const arrived = location.state as Arrived | null;
  const fresh = arrived?.fresh === true;
  const [session, setSession] = useState<Session | null>(null);
  const [problem, setProblem] = useState<Refused | null>(null);
  const [tries, setTries] = useState(0);
  const shipped = arrived?.opening ?? null;
  const picture = useMemo(() => (id ? app.openings.of(id, shipped) : null), [app, id, shipped]);

  useEffect(() => {
    if (!id) return;
    let current = true;
    let opened: Session | null = null;
    let timer: ReturnType<typeof setTimeout> | undefined;
    app.open(id).then(
      (made) => {
        if (!current) return app.close(made);
        opened = made;
        setProblem(null);
        setSession(made);
        // A new effect shows itself at once.
        if (fresh) {
          void navigate(".", { replace: true, state: null });
          made.playing.playWhenReady();
        }
      },
      (error: Refused) => {
        if (!current) return;
        setProblem(error);
        // A server that is away or busy may come back; an effect that is not there does not.
        if (!error.final) timer = setTimeout(() => setTries((done) => done + 1), AGAIN);
      },
    );
    return () => {
      current = false;
      clearTimeout(timer);
      setSession(null);
      if (opened) app.close(opened);
    };
    // What was asked for on arriving counts once.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [app, id, navigate, tries]);

  if (problem) {
    const gone = problem.final;
    return (
      <main className="p-10">
        <h1 className="mb-2 text-lg">{gone ? "This effect cannot be opened" : "This effect cannot be opened yet"}</h1>
        <p role="status" className="mb-4 text-ember">
          {gone ? problem.message : `${problem.message} Trying again…`}
        </p>
        <Link to="/" className="text-ice">
          Back to the library
        </Link>
      </main>
    );
  }
  return session ? (
    <SessionContext value={session}>
      <Tooltip.Provider delayDuration={500}>
        <CheckProvider>
          <ForecastProvider>
            <Opened key={session.id} picture={picture} />
          </ForecastProvider>
        </CheckProvider>
      </Tooltip.Provider>
    </SessionContext>
  ) : (
    <Opening picture={picture} />
  );
}

function Opened({ picture }: { picture: string | null }) {
  const session = useSession();
  const navigate = useNavigate();
  const [shown, setShown] = useState<Window>(null);
  const stageOnly = useStudio((state) => state.stageOnly);
  useHighlighting();
  useEffect(() => {
    // Fetched while nobody waits for it, when the stage has long been there.
    const timer = setTimeout(() => ahead(table), 4000);
    return () => clearTimeout(timer);
  }, []);
  const open = useMemo(
    () => ({ window: (next: Window) => setShown(next), library: () => void navigate("/") }),
    [navigate],
  );
  useKeys(open);
  usePreferences((state) => state.keys);
  const list = shown ? commands(session, open) : [];
  const toggle = (window_: Window) => (next: boolean) => setShown(next ? window_ : null);
  return (
    <div className="flex h-full flex-col">
      {!stageOnly && <TopBar onOpen={setShown} />}
      <div className="relative flex min-h-0 flex-1">
        {!stageOnly && (
          <ScorePane>
            <Score />
          </ScorePane>
        )}
        <div className="flex min-w-0 flex-1 flex-col">
          <div className="relative min-h-0 flex-1">
            <SideBySide>
              <Stage opening={picture} />
            </SideBySide>
            {!stageOnly && <LensPane />}
            {stageOnly && <StageOnlyHint />}
          </div>
          {!stageOnly && <Tabled />}
          {!stageOnly && <Clock />}
        </div>
      </div>
      <Suspense>
        {shown === "palette" && <Palette open onOpenChange={toggle("palette")} list={list} />}
        {shown === "shortcuts" && <Shortcuts open onOpenChange={toggle("shortcuts")} list={list} />}
        {shown === "versions" && <Versions open onOpenChange={toggle("versions")} />}
      </Suspense>
      <FirstHints />
      <Conflict />
    </div>
  );
}

function Tabled() {
  const shown = useStudio((state) => state.table && !state.picturing);
  return (
    shown && (
      <Suspense>
        <TableDrawer />
      </Suspense>
    )
  );
}

function StageOnlyHint() {
  const session = useSession();
  return (
    <div className="absolute right-3 top-3 flex items-center gap-2 rounded bg-panel/70 px-2 py-1 text-xs text-soft">
      <SaveState />
      <button type="button" className="hover:text-text" onClick={() => session.set({ stageOnly: false })}>
        everything again (F)
      </button>
    </div>
  );
}

function Conflict() {
  const session = useSession();
  const [problem, setProblem] = useState("");
  const saving = useStudio((state) => state.saving);
  if (saving.state !== "conflict") return null;
  const refused = (error: Error) => setProblem(error.message);
  return (
    <Dialog open unfocused onOpenChange={() => undefined} title="Changed in another tab" description={saving.message}>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={() => void session.takeTheirs().catch(refused)}>Take the other version</Button>
        <Button onClick={() => void session.keepMine().catch(refused)}>Keep mine</Button>
      </div>
      {problem && (
        <p role="alert" className="mt-3 text-xs text-ember">
          {problem}
        </p>
      )}
      <p className="mt-3 text-xs text-soft">Whichever you choose, the other stays among the versions.</p>
    </Dialog>
  );
}
