/** One open effect: the score on the left, the stage in the middle, the clock below, the lens on the right. */

import { useEffect, useMemo, useState } from "react";
import { Group as Panels, Panel, Separator } from "react-resizable-panels";
import { Link, useNavigate, useParams } from "react-router";
import { answered, api, Refused } from "@/api/client";
import { Clock } from "@/clock/Clock";
import { pause } from "@/clock/playing";
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
    };
    load().catch((error: Refused) => setProblem(error.message));
    return () => pause();
  }, [id]);

  const opener = useMemo(
    () => ({ palette: () => setWindow("palette"), shortcuts: () => setWindow("shortcuts"), versions: () => setWindow("versions"), library: () => void navigate("/") }),
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
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
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
          <Panel id="score" defaultSize="440px" minSize="320px" maxSize="640px" groupResizeBehavior="preserve-pixel-size">
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
              <Panel id="lens" defaultSize="310px" minSize="240px" maxSize="520px" groupResizeBehavior="preserve-pixel-size">
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
      <Shortcuts open={window_ === "shortcuts"} onOpenChange={(next) => setWindow(next ? "shortcuts" : null)} list={list} />
      <Versions open={window_ === "versions"} onOpenChange={(next) => setWindow(next ? "versions" : null)} />
      <Conflict />
    </div>
  );
}

function Handle() {
  return <Separator className="w-px bg-line outline-offset-2 hover:bg-ice data-[separator-state=drag]:bg-ice" />;
}

function Conflict() {
  const saving = useStudio((state) => state.saving);
  if (saving.state !== "conflict") return null;
  return (
    <Dialog open onOpenChange={() => undefined} title="Changed in another tab" description={saving.message}>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={() => void takeTheirs()}>Take the other version</Button>
        <Button tone="main" onClick={() => void keepMine()}>
          Keep mine
        </Button>
      </div>
      <p className="mt-3 text-xs text-soft">Whichever you choose, the other stays: among the versions, or one undo away.</p>
    </Dialog>
  );
}
