/** The part of time that playing goes round in: set by its ends, in frames or seconds. */

import { FoldHorizontal } from "lucide-react";
import { useState } from "react";
import { Button, Popover } from "@/ui/controls";
import { frameTyped } from "@/ui/typed";
import { useSession, useStudio } from "@/state/use";
import { lastFrame } from "@/state/run";
import { cx } from "@/ui/cx";

export function RangeButton() {
  const session = useSession();
  const range = useStudio((state) => state.range);
  const document = useStudio((state) => state.document);
  const frame = useStudio((state) => state.frame);
  const last = lastFrame(document);
  const fps = Number(document?.clock.frames_per_second ?? 24);
  const set = (first: number, end: number) => {
    const [low, high] = [Math.max(0, Math.min(first, last - 1)), Math.min(last, Math.max(end, first + 1))];
    session.set({ range: low === 0 && high === last ? null : [low, high] });
  };
  const [from, to] = range ?? [0, last];
  return (
    <Popover
      label="Range to play"
      trigger={
        <button
          type="button"
          aria-label="Range to play"
          title="Range to play"
          aria-pressed={!!range}
          className={cx(
            "inline-flex size-7 items-center justify-center rounded hover:bg-raised hover:text-text",
            `${range ? "text-brass" : "text-soft"}`,
          )}
        >
          <FoldHorizontal className="size-4" />
        </button>
      }
    >
      <h3 className="mb-1 font-medium">Range to play</h3>
      <p className="mb-2 text-xs text-soft">
        Playing goes round between these frames. It changes nothing in the effect.
      </p>
      <div className="mb-3 flex items-center gap-2">
        <End label="From" value={from} fps={fps} onTake={(value) => set(value, to)} />
        <End label="To" value={to} fps={fps} onTake={(value) => set(from, value)} />
      </div>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => set(frame, Math.max(to, frame + 1))}>From here</Button>
        <Button onClick={() => set(Math.min(from, frame - 1), frame)}>To here</Button>
        <Button disabled={!range} onClick={() => session.set({ range: null })}>
          Everything
        </Button>
      </div>
    </Popover>
  );
}

function End({
  label,
  value,
  fps,
  onTake,
}: {
  label: string;
  value: number;
  fps: number;
  onTake: (frame: number) => void;
}) {
  const [fault, setFault] = useState(false);
  return (
    <label className="flex items-center gap-1.5 text-xs text-soft">
      {label}
      <input
        key={value}
        aria-label={`${label} frame`}
        aria-invalid={fault}
        className={cx(
          "tabular w-16 rounded border border-line bg-panel px-1.5 py-0.5 text-right text-text",
          "focus:border-brass focus:outline-none",
        )}
        defaultValue={value}
        onBlur={(event) => {
          const text = event.target.value;
          const number = frameTyped(text, fps);
          setFault(number === null);
          if (number !== null) onTake(Math.round(number));
        }}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    </label>
  );
}
