/** The clock: transport, frame and time, and the strip. */

import { ChevronLeft, ChevronRight, Pause, Play, Repeat, SkipBack } from "lucide-react";
import { useState } from "react";
import { lastFrame, useStudio } from "@/state/studio";
import { runAgain, seek, stopRun } from "@/state/trials";
import { Button, Hint, IconButton } from "@/ui/controls";
import { frameTyped } from "@/ui/typed";
import { waitsFor } from "@/ui/words";
import { pause, step, toggle } from "./playing";
import { LEFT } from "./layout";
import { RangeButton } from "./RangeButton";
import { Strip } from "./Strip";
import { Tracks } from "./Tracks";

export function Clock() {
  const playing = useStudio((state) => state.playing);
  const loop = useStudio((state) => state.loop);
  const frame = useStudio((state) => state.frame);
  const document = useStudio((state) => state.document);
  const trial = useStudio((state) => state.trial);
  const fps = Number(document?.clock.frames_per_second ?? 24);
  const [text, setText] = useState<string | null>(null);
  const go = (raw: string) => {
    setText(null);
    const target = frameTyped(raw, fps);
    // Whoever types a frame means to look at it: playing stops there.
    if (target === null) return;
    pause();
    seek(target);
  };
  return (
    <>
      <div className="flex h-[132px] gap-3 border-t border-line bg-panel px-3 py-2.5">
        <div className="flex shrink-0 flex-col justify-between" style={{ width: LEFT }}>
          <div className="flex items-center">
            <IconButton label="To the start" keys="Home" onClick={() => (pause(), seek(0))}>
              <SkipBack />
            </IconButton>
            <IconButton label="One frame back" keys="," onClick={() => step(-1)}>
              <ChevronLeft />
            </IconButton>
            <IconButton
              label={playing ? "Pause" : "Play"}
              keys="Space"
              onClick={toggle}
              className="!size-9 border border-line text-brass"
            >
              {playing ? <Pause /> : <Play />}
            </IconButton>
            <IconButton label="One frame on" keys="." onClick={() => step(1)}>
              <ChevronRight />
            </IconButton>
            <IconButton
              label={loop ? "Playing round and round" : "Playing once"}
              aria-pressed={loop}
              onClick={() => useStudio.setState({ loop: !loop })}
              className={loop ? "!text-ice" : ""}
            >
              <Repeat />
            </IconButton>
            <RangeButton />
          </div>
          <div className="tabular flex items-baseline gap-2">
            <input
              aria-label="Frame"
              data-testid="frame"
              className="w-14 rounded border border-transparent bg-transparent text-right text-lg leading-6 text-brass hover:border-line focus:border-brass focus:outline-none"
              value={text ?? frame}
              onChange={(event) => setText(event.target.value)}
              onFocus={(event) => event.target.select()}
              onBlur={() => setText(null)}
              onKeyDown={(event) => {
                if (event.key === "Enter") go(event.currentTarget.value);
              }}
            />
            <span className="text-soft">of {lastFrame(document)}</span>
            <span className="text-brass">{(frame / fps).toFixed(2)} s</span>
          </div>
          <div className="flex items-center justify-between">
            <RunState
              state={trial?.state}
              computed={trial?.computed ?? 0}
              last={lastFrame(document)}
              waiting={trial?.waiting}
            />
            <OnwardSwitch />
          </div>
        </div>
        <div className="min-w-0 flex-1 overflow-visible">
          <Strip />
        </div>
      </div>
      <Tracks />
    </>
  );
}

/** Exact: a change is computed from where it first matters. Onward: while a value is dragged it only acts from here on, for feel. */
function OnwardSwitch() {
  const onward = useStudio((state) => state.onward);
  return (
    <Hint
      text={
        onward
          ? "Onward: a value that you drag acts from this frame on, for feel; letting go computes the exact result."
          : "Exact: a value that you drag is computed from where it first matters."
      }
    >
      <button
        type="button"
        aria-pressed={onward}
        onClick={() => useStudio.setState({ onward: !onward })}
        className={`rounded px-1.5 py-0.5 text-xs ${onward ? "bg-brass/15 text-brass" : "text-soft hover:bg-raised hover:text-text"}`}
      >
        {onward ? "onward" : "exact"}
      </button>
    </Hint>
  );
}

function RunState({
  state,
  computed,
  last,
  waiting,
}: {
  state: string | undefined;
  computed: number;
  last: number;
  waiting: string[] | null | undefined;
}) {
  if (state === "computing") {
    const share = Math.round((computed / (last + 1)) * 100);
    return (
      <div className="flex items-center gap-2 text-xs text-soft">
        {waiting ? (
          <Hint text={waitsFor(waiting)}>
            <span className="tabular">waiting at {share} %</span>
          </Hint>
        ) : (
          <span className="tabular">{share} % computed</span>
        )}
        <Button className="later !px-1.5 !py-0" onClick={() => void stopRun()}>
          Stop
        </Button>
      </div>
    );
  }
  if (state === "stopped" || state === "failed") {
    return (
      <div className="flex items-center gap-2 text-xs text-soft">
        {state === "stopped" ? "stopped" : "failed"} at frame {computed}
        <Button className="!px-1.5 !py-0" onClick={runAgain}>
          {state === "stopped" ? "Go on" : "Run again"}
        </Button>
      </div>
    );
  }
  return <div className="text-xs text-soft">{state ? "all frames computed" : "\u00a0"}</div>;
}
