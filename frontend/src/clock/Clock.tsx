/** The clock: transport, frame and time in one row, and under it the strip, as wide as the stage. */

import { ChevronLeft, ChevronRight, Pause, Play, Repeat, SkipBack } from "lucide-react";
import { useState } from "react";
import { lastFrame } from "@/state/run";
import { useRun, useSession, useStudio } from "@/state/use";
import { Button, Hint, IconButton } from "@/ui/controls";
import { frameTyped } from "@/ui/typed";
import { waitsFor } from "@/ui/words";
import { RangeButton } from "./RangeButton";
import { Strip } from "./Strip";
import { Tracks } from "./Tracks";
import { cx } from "@/ui/cx";

export function Clock() {
  return (
    <section aria-label="Clock" className="shrink-0 border-t border-line bg-panel">
      <div className="flex h-9 items-center gap-3 overflow-hidden px-2">
        <Transport />
        <Playhead />
        <Pace />
        <span className="flex-1" />
        <RunState />
        <OnwardSwitch />
      </div>
      <div className="relative h-[84px]">
        <Strip />
      </div>
      <Tracks />
    </section>
  );
}

function Transport() {
  const session = useSession();
  const running = useStudio((state) => state.playing);
  const loop = useStudio((state) => state.loop);
  const { playing } = session;
  return (
    <div className="flex shrink-0 items-center">
      <IconButton label="To the start" keys="Home" onClick={() => (playing.pause(), session.seek(0))}>
        <SkipBack />
      </IconButton>
      <IconButton label="One frame back" keys="," onClick={() => playing.step(-1)}>
        <ChevronLeft />
      </IconButton>
      <IconButton
        label={running ? "Pause" : "Play"}
        keys="Space"
        onClick={() => playing.toggle()}
        className="w-9 border border-line !text-brass"
      >
        {running ? <Pause /> : <Play />}
      </IconButton>
      <IconButton label="One frame on" keys="." onClick={() => playing.step(1)}>
        <ChevronRight />
      </IconButton>
      <IconButton
        label={loop ? "Playing round and round" : "Playing once"}
        aria-pressed={loop}
        onClick={() => session.set({ loop: !loop })}
        className={loop ? "!text-ice" : ""}
      >
        <Repeat />
      </IconButton>
      <RangeButton />
    </div>
  );
}

/** The frame, to be typed over, and the time. */
function Playhead() {
  const session = useSession();
  const frame = useStudio((state) => state.frame);
  const last = useStudio((state) => lastFrame(state.document));
  const fps = useStudio((state) => state.document.clock.frames_per_second);
  const [text, setText] = useState<string | null>(null);
  const go = (raw: string) => {
    setText(null);
    const target = frameTyped(raw, fps);
    // Whoever types a frame means to look at it: playing stops there.
    if (target === null) return;
    session.playing.pause();
    session.seek(target);
  };
  return (
    <div className="tabular flex shrink-0 items-baseline gap-1.5 whitespace-nowrap">
      <input
        aria-label="Frame"
        data-testid="frame"
        className={cx(
          "w-14 rounded border border-transparent bg-transparent text-right text-base leading-6",
          "text-brass hover:border-line focus:border-brass focus:outline-none",
        )}
        value={text ?? frame}
        onChange={(event) => setText(event.target.value)}
        onFocus={(event) => {
          // What one is about to type over stands still.
          session.playing.pause();
          event.target.select();
        }}
        onBlur={() => setText(null)}
        onKeyDown={(event) => {
          if (event.key === "Enter") go(event.currentTarget.value);
        }}
      />
      <span className="text-soft">of {last}</span>
      <span className="w-16 text-right text-brass">{(frame / fps).toFixed(2)} s</span>
    </div>
  );
}

/** Told when it plays slower than the effect's own rate. */
function Pace() {
  const pace = useStudio((state) => state.pace);
  if (pace === null || pace > 0.95) return null;
  return (
    <Hint text="Every frame is shown, none is left out: it takes longer than the effect does.">
      <span role="status" className="tabular whitespace-nowrap text-xs text-soft">
        at {Math.round(pace * 100)} % of its speed
      </span>
    </Hint>
  );
}

const ONWARD = "Onward: a value that you drag acts from this frame on, for feel; letting go computes the exact result.";
const EXACT = "Exact: a value that you drag is computed from where it first matters.";

/** Exact: a change is computed from where it first matters. Onward: while a value is dragged it only acts from here on, for feel. */
function OnwardSwitch() {
  const session = useSession();
  const onward = useStudio((state) => state.onward);
  return (
    <Hint text={onward ? ONWARD : EXACT}>
      <button
        type="button"
        aria-pressed={onward}
        onClick={() => session.set({ onward: !onward })}
        className={`h-6 rounded px-1.5 text-xs ${onward ? "bg-brass/15 text-brass" : "text-soft hover:bg-raised hover:text-text"}`}
      >
        {onward ? "onward" : "exact"}
      </button>
    </Hint>
  );
}

function RunState() {
  const session = useSession();
  const last = useStudio((state) => lastFrame(state.document));
  const state = useRun(({ trial }) => trial?.state);
  const computed = useRun(({ trial }) => trial?.computed ?? 0);
  const waiting = useRun(({ trial }) => trial?.waiting);
  if (state === "computing") {
    const share = Math.round((computed / (last + 1)) * 100);
    return (
      <div className="flex items-center gap-2 whitespace-nowrap text-xs text-soft">
        {waiting ? (
          <Hint text={waitsFor(waiting)}>
            <span className="tabular">waiting at {share} %</span>
          </Hint>
        ) : (
          <span className="tabular">{share} % computed</span>
        )}
        <Button className="later !px-1.5 !py-0" onClick={() => void session.run.stop()}>
          Stop
        </Button>
      </div>
    );
  }
  if (state === "stopped" || state === "failed") {
    return (
      <div className="flex items-center gap-2 whitespace-nowrap text-xs text-soft">
        {state} at frame {computed}
        <Button className="!px-1.5 !py-0" onClick={() => session.run.again()}>
          {state === "stopped" ? "Go on" : "Run again"}
        </Button>
      </div>
    );
  }
  return <div className="whitespace-nowrap text-xs text-soft">{state ? "all frames computed" : "\u00a0"}</div>;
}
