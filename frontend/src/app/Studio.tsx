/** One open effect: the score on the left, the stage in the middle, the clock below, the lens on the right. */

import { useEffect, useMemo, useRef, useState } from "react";
import { Group as Panels, Panel, Separator } from "react-resizable-panels";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { answered, api, Refused } from "@/api/client";
import { Clock } from "@/clock/Clock";
import { pause, playWhenReady } from "@/clock/playing";
import { Lens } from "@/lens/Lens";
import { Score } from "@/score/Score";
import { Stage } from "@/stage/Stage";
import { keepMine, open, takeTheirs, useStudio } from "@/state/studio";
import { usePicture } from "@/state/trials";
import { Button, Dialog } from "@/ui/controls";
import { commands, isTaken, meant } from "./commands";
import { useHighlighting } from "./highlighting";
import { Palette, Shortcuts } from "./Palette";
import { TopBar } from "./TopBar";
import { Versions } from "./Versions";

type Window_ = "palette" | "shortcuts" | "versions" | null;

export function Studio() {
  const { id } = useParams();
  const navigate = useNavigate();
  const location = useLocation();
  const fresh = useRef((location.state as { fresh?: boolean } | null)?.fresh === true);
  const loaded = useStudio((state) => state.id === id && state.document !== null && state.catalogue !== null);
  const lensOpen = useStudio((state) => state.lensOpen);
  const [window_, setWindow] = useState<Window_>(null);
  const [problem, setProblem] = useState("");
  useHighlighting();

  useEffect(() => {
    if (!id) return;
    usePicture.setState({ shown: null, shapes: null, dragged: null });
    const load = async () => {
      if (!useStudio.getState().catalogue) useStudio.setState({ catalogue: await answered(api.GET("/api/catalogue")) });
      await open(id);
      // A new effect shows itself at once.
      if (fresh.current) {
        fresh.current = false;
        void navigate(".", { replace: true, state: null });
        playWhenReady(id);
      }
    };
    load().catch((error: Refused) => setProblem(error.message));
    return () => pause();
  }, [id, navigate]);

  const opener = useMemo(
    () => ({
      palette: () => setWindow("palette"),
      shortcuts: () => setWindow("shortcuts"),
      versions: () => setWindow("versions"),
      library: () => void navigate("/"),
    }),
    [navigate],
  );
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (isTaken(event)) return;
      const command = commands(opener).find((entry) => entry.keys && meant(event, entry.keys));
      if (command) {
        event.preventDefault();
        command.run();
      }
    };
    // A button that has the focus would be pressed as the key comes up.
    const release = (event: KeyboardEvent) => event.key === " " && !isTaken(event) && event.preventDefault();
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    return () => {
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
    };
  }, [opener]);

  if (problem) {
    return (
      <main className="p-10">
        <h1 className="mb-2 text-lg">This effect cannot be opened</h1>
        <p className="mb-4 text-ember">{problem}</p>
        <Link to="/" className="text-ice">
          Back to the library
        </Link>
      </main>
    );
  }
  const list = window_ ? commands(opener) : [];
  return (
    <div className="flex h-full flex-col">
      <TopBar onPalette={opener.palette} onShortcuts={opener.shortcuts} onVersions={opener.versions} />
      {loaded ? (
        <Panels orientation="horizontal" className="min-h-0 flex-1">
          <Panel
            id="score"
            defaultSize="440px"
            minSize="320px"
            maxSize="640px"
            groupResizeBehavior="preserve-pixel-size"
          >
            <main aria-label="Score" className="h-full overflow-y-auto bg-panel">
              <Score />
            </main>
          </Panel>
          <Handle />
          <Panel id="middle" minSize="300px">
            <div className="flex h-full flex-col">
              <div className="relative min-h-0 flex-1">
                <Stage />
              </div>
              <div className="shrink-0">
                <Clock />
              </div>
            </div>
          </Panel>
          {lensOpen && (
            <>
              <Handle />
              <Panel
                id="lens"
                defaultSize="310px"
                minSize="240px"
                maxSize="520px"
                groupResizeBehavior="preserve-pixel-size"
              >
                <aside aria-label="Lens" className="h-full">
                  <Lens />
                </aside>
              </Panel>
            </>
          )}
        </Panels>
      ) : (
        <p className="p-10 text-soft">Opening the effect…</p>
      )}
      <Palette open={window_ === "palette"} onOpenChange={(next) => setWindow(next ? "palette" : null)} list={list} />
      <Shortcuts
        open={window_ === "shortcuts"}
        onOpenChange={(next) => setWindow(next ? "shortcuts" : null)}
        list={list}
      />
      <Versions open={window_ === "versions"} onOpenChange={(next) => setWindow(next ? "versions" : null)} />
      <Conflict />
    </div>
  );
}

function Handle() {
  return <Separator className="w-px bg-line outline-offset-2 hover:bg-ice data-[separator-state=drag]:bg-ice" />;
}

function Conflict() {
  const [problem, setProblem] = useState("");
  const saving = useStudio((state) => state.saving);
  if (saving.state !== "conflict") return null;
  return (
    <Dialog open unfocused onOpenChange={() => undefined} title="Changed in another tab" description={saving.message}>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={() => void takeTheirs().catch((error: Error) => setProblem(error.message))}>
          Take the other version
        </Button>
        <Button onClick={() => void keepMine().catch((error: Error) => setProblem(error.message))}>Keep mine</Button>
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
