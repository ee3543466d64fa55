/** Asking for a still or a clip: format, size, how many samples, which frames; then its progress, and the file. */

import { useEffect, useState } from "react";
import { secondsLeft, type ClipFormat } from "@/state/clips";
import { Button, Dialog } from "@/ui/controls";
import { counted } from "@/ui/numbers";
import { useRun, useStudio, useApp, useSession } from "@/state/use";
import { useStore } from "zustand";
import { lastFrame } from "@/state/run";
import { cx } from "@/ui/cx";

const FORMATS: [ClipFormat, string, string][] = [
  ["still", "Still", "this frame as a PNG"],
  ["mp4", "MP4", "H.264, plays nearly everywhere"],
  ["webm", "WebM", "VP9, an open format"],
  ["png", "PNG sequence", "numbered PNGs in a ZIP"],
];

const SIZES: [string, number, number][] = [
  ["HD", 1280, 720],
  ["Full HD", 1920, 1080],
  ["4K", 3840, 2160],
  ["Square", 1080, 1080],
  ["Upright", 1080, 1920],
];

export function ClipDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  if (!open) return null;
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Still or clip"
      description="Made frame by frame from the computed frames, whatever this screen can keep up with."
    >
      <Wish onClose={() => onOpenChange(false)} />
    </Dialog>
  );
}

function Wish({ onClose }: { onClose: () => void }) {
  const { clips } = useApp();
  const session = useSession();
  const { making, made, problem } = useStore(clips.store);
  const effect = useStudio((state) => state.document);
  const frame = useStudio((state) => state.frame);
  const range = useStudio((state) => state.range);
  const computed = useRun((state) => state.trial?.computed ?? 0);
  const last = lastFrame(effect);
  const [format, setFormat] = useState<ClipFormat>("mp4");
  const [width, setWidth] = useState(Number(effect.picture.width));
  const [height, setHeight] = useState(Number(effect.picture.height));
  const [samples, setSamples] = useState(Number(effect.picture.samples));
  const [from, setFrom] = useState(range?.[0] ?? 0);
  const [to, setTo] = useState(range?.[1] ?? last);
  // A file of before is not this wish's.
  useEffect(() => () => clips.store.setState({ made: null, problem: "" }), [clips]);
  if (making) return <Progress />;
  const still = format === "still";
  const missing = still ? (frame >= computed ? frame : null) : to >= computed ? computed : null;
  const number = (label: string, value: number, set: (value: number) => void, least: number, most: number) => (
    <label className="flex items-center gap-2 text-soft">
      {label}
      <input
        key={value}
        type="number"
        min={least}
        max={most}
        defaultValue={value}
        onBlur={(event) => set(Math.round(Math.min(most, Math.max(least, Number(event.target.value) || least))))}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="tabular w-20 rounded border border-line bg-panel px-1.5 py-1 text-right text-text focus:border-ice focus:outline-none"
      />
    </label>
  );
  return (
    <div className="space-y-4">
      <div role="group" aria-label="Format" className="grid grid-cols-2 gap-2">
        {FORMATS.map(([id, name, note]) => (
          <button
            key={id}
            type="button"
            aria-pressed={format === id}
            onClick={() => setFormat(id)}
            className={`rounded border px-3 py-1.5 text-left ${format === id ? "border-ice text-ice" : "border-line hover:bg-raised"}`}
          >
            {name}
            <span className="block text-xs text-soft">{note}</span>
          </button>
        ))}
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        {number("Width", width, setWidth, 16, 8192)}
        {number("Height", height, setHeight, 16, 8192)}
        {number("Samples", samples, setSamples, 1, 256)}
        <div role="group" aria-label="Sizes" className="flex flex-wrap gap-1">
          {SIZES.map(([name, w, h]) => (
            <button
              key={name}
              type="button"
              aria-pressed={w === width && h === height}
              onClick={() => (setWidth(w), setHeight(h))}
              className={cx(
                "rounded px-2 py-0.5 text-xs",
                `${w === width && h === height ? "bg-ice/15 text-ice" : "text-soft hover:bg-raised hover:text-text"}`,
              )}
            >
              {name}
            </button>
          ))}
        </div>
      </div>
      {!still && (
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
          {number("From frame", from, setFrom, 0, last)}
          {number("to", to, setTo, from, last)}
          <span className="tabular text-xs text-soft">
            {counted(to - from + 1, "frame")}, {((to - from + 1) / Number(effect.clock.frames_per_second)).toFixed(2)} s
          </span>
        </div>
      )}
      {missing !== null && (
        <p className="text-xs text-brass">Frame {missing} is not computed yet; wait until the clock has got there.</p>
      )}
      {problem && (
        <p role="alert" className="text-ember">
          {problem}
        </p>
      )}
      {made ? (
        <div className="flex items-center gap-3" role="status">
          <a
            href={made.url}
            download={made.name}
            className="rounded border border-ice/60 px-2.5 py-1 text-ice hover:bg-ice/10"
          >
            Save {made.name}
          </a>
          <span className="tabular text-xs text-soft">{(made.bytes / 1e6).toFixed(1)} MB</span>
          <span className="flex-1" />
          <Button onClick={onClose}>Done</Button>
        </div>
      ) : (
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Leave it</Button>
          <Button
            tone="main"
            disabled={missing !== null}
            onClick={() =>
              void clips.make(session, {
                format,
                width,
                height,
                samples,
                from: still ? frame : from,
                to: still ? frame : to,
              })
            }
          >
            Make it
          </Button>
        </div>
      )}
    </div>
  );
}

function Progress() {
  const { clips } = useApp();
  const making = useStore(clips.store, (state) => state.making)!;
  const [now, setNow] = useState(() => performance.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(performance.now()), 500);
    return () => clearInterval(timer);
  }, []);
  const left = secondsLeft(making, now);
  const share = making.done / making.total;
  return (
    <div className="space-y-3" role="status">
      <div
        className="h-1.5 overflow-hidden rounded bg-line"
        role="progressbar"
        aria-label="Frames written"
        aria-valuenow={making.done}
        aria-valuemax={making.total}
      >
        <div className="h-full bg-ice" style={{ width: `${share * 100}%` }} />
      </div>
      <div className="flex items-center gap-3">
        <span className="tabular flex-1 text-soft">
          frame {making.done} of {making.total}
          {left === null ? "" : `, about ${spoken(left)} left`}
        </span>
        <Button onClick={() => clips.stop()} disabled={making.stopping}>
          {making.stopping ? "Stopping…" : "Stop"}
        </Button>
      </div>
    </div>
  );
}

function spoken(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 90 ? `${minutes} min` : `${(minutes / 60).toFixed(1)} h`;
}
