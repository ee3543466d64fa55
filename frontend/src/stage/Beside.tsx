/** The effect with a second value of a dial, beside its own stage: the same clock, the same camera, its values written above both. */

import { useEffect, useRef, useState, type CSSProperties } from "react";
import { lastFrame } from "@/state/run";
import type { Comparing } from "@/state/session";
import { valueNow } from "@/state/keys";
import { RunContext, useNow, useSession, useStudio } from "@/state/use";
import { useLensRoom } from "@/lens/width";
import { Slider } from "@/ui/controls";
import { count, plain } from "@/ui/numbers";
import { typed } from "@/ui/typed";
import { useTyped } from "@/ui/useTyped";
import { StageEngine } from "./StageEngine";

/** Both stages, or one where nothing is compared. */
export function SideBySide({ children }: { children: React.ReactNode }) {
  const session = useSession();
  const comparing = useStudio((state) => (state.picturing ? null : state.comparing));
  const two = comparing !== null;
  const before = useRef(two);
  useEffect(() => {
    if (before.current === two) return;
    before.current = two;
    // Once the stage has the room that it will have.
    const timer = setTimeout(() => session.viewpoint.refit(two ? 0.5 : 2), 60);
    return () => clearTimeout(timer);
  }, [session, two]);
  // One stage goes on below the lens; of two each keeps its half of what is free.
  const lens = useLensRoom();
  return (
    <section
      aria-label="Stage"
      className="absolute inset-0 flex"
      // What is told on one stage keeps left of the lens.
      style={{ right: two ? lens : 0, "--lens": `${two ? 0 : lens}px` } as CSSProperties}
    >
      <div className="relative min-w-0 flex-1">
        {children}
        {comparing && <OwnValue comparing={comparing} />}
      </div>
      {comparing && (
        <RunContext value={comparing.run}>
          <div data-tone="dark" className="relative min-w-0 flex-1 border-l border-line">
            <Second comparing={comparing} />
            <OtherValue comparing={comparing} />
          </div>
        </RunContext>
      )}
    </section>
  );
}

function Second({ comparing }: { comparing: Comparing }) {
  const session = useSession();
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { run } = comparing;
  useEffect(() => {
    const quiet = { coarse: () => undefined, metre: () => undefined, drawn: () => undefined };
    const made = new StageEngine(canvas.current!, host.current!, session, run, quiet, true);
    const observer = new ResizeObserver(([entry]) => {
      if (entry) made.resize(entry.contentRect.width, entry.contentRect.height);
    });
    observer.observe(host.current!);
    return () => {
      observer.disconnect();
      made.dispose();
    };
  }, [session, run]);
  return (
    <div ref={host} data-testid="stage-beside" data-tone="dark" className="absolute inset-0 overflow-hidden bg-stage">
      <canvas
        ref={canvas}
        tabIndex={-1}
        role="img"
        aria-label="The effect with the other value of the dial. Drag to turn both."
        className="absolute inset-0 h-full w-full touch-none outline-none"
      />
    </div>
  );
}

function OwnValue({ comparing }: { comparing: Comparing }) {
  const session = useSession();
  const index = useStudio((state) => state.document.dials.findIndex((dial) => dial.id === comparing.dial));
  const dial = useStudio((state) => state.document.dials[index]);
  if (!dial) return null;
  const path = ["dials", index, "value"];
  return (
    <Value
      label={dial.label}
      side="on the left"
      value={Number(valueNow(dial.value, undefined, 0))}
      onTry={(value) => session.tryValue(path, value)}
      onCommit={(value) => session.edit(path, value)}
    />
  );
}

function OtherValue({ comparing }: { comparing: Comparing }) {
  const session = useSession();
  const label = useStudio((state) => state.document.dials.find((dial) => dial.id === comparing.dial)?.label ?? "");
  const put = (value: number) => session.compare(comparing.dial, value);
  return (
    <Value label={label} side="on the right" value={comparing.value} onTry={put} onCommit={put}>
      <button
        type="button"
        className="rounded px-1.5 py-0.5 text-ice hover:bg-raised"
        onClick={() => session.stopComparing()}
      >
        Done comparing
      </button>
    </Value>
  );
}

interface ValueProps {
  label: string;
  /** Which of the two stages it is over, in words. */
  side: string;
  value: number;
  onTry: (value: number) => void;
  onCommit: (value: number) => void;
  children?: React.ReactNode;
}

/** A dial's value over its stage, with how many there are now. */
function Value({ label, side, value, onTry, onCommit, children }: ValueProps) {
  const [span, setSpan] = useState(() => reachOf(value));
  const { fault, box } = useTyped(plain(value), (raw) => {
    const read = typed(raw, { unit: "", fps: 24, present: value });
    if ("fault" in read) return read.fault;
    setSpan(reachOf(read.value));
    onCommit(read.value);
    return "";
  });
  return (
    <div
      data-tone="dark"
      className="absolute inset-x-3 bottom-10 flex flex-wrap items-center gap-x-2.5 gap-y-1 rounded bg-panel/85 px-2 py-1 text-xs text-text"
    >
      <span className="max-w-32 truncate font-medium">{label}</span>
      <input
        {...box}
        aria-label={`${label} ${side}`}
        className="tabular w-16 rounded border border-line bg-panel px-1.5 py-0.5 text-right focus:border-ice focus:outline-none"
      />
      <span className="min-w-16 max-w-40 flex-1">
        <Slider
          label={`${label} ${side}, dragged`}
          value={value}
          low={span[0]}
          high={span[1]}
          step={(span[1] - span[0]) / 200}
          onTry={(next) => onTry(Number(next.toPrecision(4)))}
          onCommit={(next) => onCommit(Number(next.toPrecision(4)))}
        />
      </span>
      <HowMany />
      {children}
      {fault && <p className="w-full text-ember">{fault}</p>}
    </div>
  );
}

/** From nothing to twice the value, or as far on the other side. */
const reachOf = (value: number): [number, number] =>
  value === 0 ? [0, 1] : value > 0 ? [0, value * 2] : [value * 2, 0];

/** How many there are, or how far it is computed. */
function HowMany() {
  const last = useStudio((state) => lastFrame(state.document));
  const words = useNow((now, _frame, { trial }) =>
    now ? `${count(now.count)} now` : trial ? `computing frame ${Math.min(trial.computed, last)}` : "…",
  );
  return <span className="tabular whitespace-nowrap text-soft">{words}</span>;
}
