/** The stage: the picture in three dimensions, with what stands on and around it. It is drawn by its engine; nothing
 * here renders while it plays. */

import { Suspense, useEffect, useRef, useState } from "react";
import { RunContext, useRunOf, useSession, useStudio } from "@/state/use";
import { late } from "@/ui/late";
import { cx } from "@/ui/cx";
import { useBefore } from "./before";
import { EngineContext } from "./engine";
import { ChosenField } from "./FieldView";
import { HandleTools } from "./HandleTools";
import { Legend } from "./Legend";
import { Measured } from "./Measured";
import { OpeningPicture } from "./OpeningPicture";
import { usePointing } from "./pointing";
import { Reference } from "./Reference";
import { SearchView } from "./SearchView";
import { Strays } from "./Strays";
import { TouchView } from "./TouchView";
import { StageEngine } from "./StageEngine";
import { Told } from "./Told";
import { ViewBar } from "./ViewBar";

/** So many particles take so long to draw without a card that a new size waits (ms). */
const [CROWDED, LATER] = [20_000, 150];

const ChosenHandles = late(() => import("./Handles"), "ChosenHandles");
const PictureView = late(() => import("./picture/PictureView"), "PictureView");
const DialPanel = late(() => import("./DialPanel"), "DialPanel");
const Values = late(() => import("./Values"), "Values");

/** The stage stays dark in either tone: the colours of a picture are judged against the same ground. */
export function Stage({ opening }: { opening: string | null }) {
  const run = useBefore();
  return (
    <RunContext value={run}>
      <Canvas opening={opening} />
    </RunContext>
  );
}

function Canvas({ opening }: { opening: string | null }) {
  const session = useSession();
  const run = useRunOf();
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [engine, setEngine] = useState<StageEngine | null>(null);
  const [coarse, setCoarse] = useState(false);
  const [metre, setMetre] = useState(0);
  const [drawn, setDrawn] = useState(false);
  const [failed, setFailed] = useState(false);
  const picturing = useStudio((state) => state.picturing);
  const handled = useStudio((state) => state.selected?.[0] === "shapes");
  const dialled = useStudio((state) => state.dialled);
  const valued = useStudio((state) => state.values !== null);
  useEffect(() => {
    let made: StageEngine;
    const canvas_ = canvas.current!;
    try {
      made = new StageEngine(canvas_, host.current!, session, session.run, {
        coarse: setCoarse,
        metre: setMetre,
        drawn: () => setDrawn(true),
      });
    } catch {
      // eslint-disable-next-line react-hooks/set-state-in-effect -- told once, where there is nothing to draw with
      setFailed(true);
      return;
    }
    let later: ReturnType<typeof setTimeout> | undefined;
    const observer = new ResizeObserver(([entry]) => {
      if (!entry) return;
      const { width, height } = entry.contentRect;
      clearTimeout(later);
      // Where drawing takes long, what is opened beside the stage comes first; its picture is stretched meanwhile.
      const crowded = (session.run.state.stats[session.state.frame]?.count ?? 0) > CROWDED;
      if (crowded) later = setTimeout(() => made.resize(width, height), LATER);
      else made.resize(width, height);
    });
    observer.observe(host.current!);
    setEngine(made);
    return () => {
      clearTimeout(later);
      observer.disconnect();
      session.app.openings.keep(session.id, session.state.frame, made.asOpened ? canvas_ : null);
      made.dispose();
      setEngine(null);
    };
  }, [session]);
  useEffect(() => engine?.show(run), [engine, run]);
  const box = usePointing(engine, canvas);
  return (
    <div
      ref={host}
      className="@container absolute inset-0 overflow-hidden bg-stage text-text"
      data-tone="dark"
      data-testid="stage"
    >
      <canvas
        ref={canvas}
        tabIndex={-1}
        role="img"
        aria-label="The stage: particles in three dimensions. Drag to turn, scroll to come closer, click a particle to read it."
        className="absolute inset-0 h-full w-full touch-none outline-none"
      />
      <Reference />
      {opening && !failed && <OpeningPicture picture={opening} drawn={drawn} />}
      {failed && (
        <p role="alert" className="absolute inset-x-0 top-1/3 text-center text-ember">
          This browser gives no surface to draw in three dimensions on; close another page with 3D in it and reload.
        </p>
      )}
      {box && <div className="pointer-events-none absolute border border-ice bg-ice/10" style={box} />}
      {engine && (
        <EngineContext value={engine}>
          <div className={picturing ? "hidden" : "contents"}>
            {handled && (
              <Suspense>
                <ChosenHandles />
              </Suspense>
            )}
            <ChosenField />
            <Measured />
            <SearchView />
            <TouchView />
            <Strays />
            {valued && (
              <Suspense>
                <Values />
              </Suspense>
            )}
            <div
              className={cx(
                "pointer-events-none absolute left-3 right-[calc(var(--lens)+12px)] top-3 *:pointer-events-auto",
                "flex flex-wrap items-center gap-2 text-xs",
              )}
            >
              <ViewBar />
              <HandleTools />
            </div>
            <Legend />
            {dialled && (
              <Suspense>
                <DialPanel />
              </Suspense>
            )}
          </div>
        </EngineContext>
      )}
      {picturing ? (
        <Suspense fallback={<p className="absolute left-4 top-4 text-soft">Preparing the picture…</p>}>
          <PictureView />
        </Suspense>
      ) : (
        <Told metre={metre} coarse={coarse} />
      )}
    </div>
  );
}
