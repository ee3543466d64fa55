/** The distribution of a quantity with its threshold as a line to drag: choosing a number takes one drag instead of guessing. */

import { useEffect, useRef, useState } from "react";
import { answered, api, type Histogram } from "@/api/client";
import { withValue, type Node, type Path } from "@/state/document";
import { tryValue, useStudio } from "@/state/studio";
import { count, plain } from "@/ui/numbers";
import { useScore } from "./context";
import { settle } from "@/state/store";

interface Props {
  quantity: Node;
  comparison: string;
  threshold: Node;
  path: Path;
  unit: string;
}

const WIDTH = 356;
const HEIGHT = 84;

export function Distribution({ quantity, comparison, threshold, path, unit }: Props) {
  const { who, trigger, catalogue } = useScore();
  const trial = useStudio((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const [histogram, setHistogram] = useState<Histogram | null>(null);
  const [problem, setProblem] = useState("");
  const drawing = useRef<SVGSVGElement>(null);
  const atContacts = trigger === "contact" && quantity.kind === "impact_speed";
  const ready = trial && (atContacts ? trial.computed > 0 : frame < trial.computed);
  const key = JSON.stringify([trial?.id, atContacts ? trial?.computed : frame, quantity, who, comparison, threshold, ready]);

  useEffect(() => {
    if (!trial || !ready) return;
    let current = true;
    const body = { quantity, who, comparison, threshold, path, contacts: atContacts } as never;
    const asked = api.POST("/api/trials/{trial_id}/frames/{number}/histogram", {
      params: { path: { trial_id: trial.id, number: Math.min(frame, trial.computed - 1) } },
      body,
    });
    answered(asked).then(
      (found) => current && (setHistogram(found), setProblem("")),
      (error: Error) => current && setProblem(error.message),
    );
    return () => {
      current = false;
    };
    // One key stands for everything that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);

  if (problem) return <p className="mb-2 text-xs text-ember">{problem}</p>;
  if (!histogram) return <div className="mb-2 h-[120px] text-xs text-soft">Reading the distribution…</div>;
  if (histogram.total === 0) {
    return <p className="mb-3 text-xs text-soft">{atContacts ? "Nobody in this group has touched anything yet." : `Nobody is in this group at frame ${frame}; move the playhead to where there is somebody.`}</p>;
  }
  const low = histogram.edges[0] as number;
  const high = histogram.edges.at(-1) as number;
  const most = Math.max(...histogram.counts, 1);
  const middle = Number(threshold.value ?? threshold.low ?? 0);
  const spread = threshold.kind === "spread" ? Number(threshold.spread) : 0;
  const x = (value: number) => Math.max(0, Math.min(WIDTH, ((value - low) / (high - low || 1)) * WIDTH));
  const above = comparison === "above" || comparison === "at_least";
  const draggable = threshold.kind === "fixed" || threshold.kind === "spread";
  const dragTo = (clientX: number) => {
    const box = drawing.current?.getBoundingClientRect();
    if (!box || !draggable) return;
    const value = low + Math.max(0, Math.min(1, (clientX - box.left) / box.width)) * (high - low);
    tryValue([...path, "value"], Number(value.toPrecision(3)));
  };
  return (
    <figure className="mb-3">
      <svg
        ref={drawing}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className={`w-full touch-none rounded bg-stage ${draggable ? "cursor-ew-resize" : ""}`}
        role="slider"
        tabIndex={0}
        aria-label={`Threshold on the distribution of ${String(quantity.kind).replaceAll("_", " ")}`}
        aria-valuenow={middle}
        aria-valuemin={low}
        aria-valuemax={high}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          dragTo(event.clientX);
        }}
        onPointerMove={(event) => event.buttons === 1 && dragTo(event.clientX)}
        onPointerUp={settle}
        onKeyDown={(event) => {
          const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
          if (step === 0 || !draggable) return;
          event.preventDefault();
          const value = Number((middle + (step * (high - low)) / 100).toPrecision(4));
          const { document } = useStudio.getState();
          if (document) {
            useStudio.setState({ document: withValue(document, [...path, "value"], value) });
            settle();
          }
        }}
      >
        {histogram.counts.map((number, index) => {
          const left = x(histogram.edges[index] as number);
          const width = Math.max(1, WIDTH / histogram.counts.length - 1);
          const passes = above ? (histogram.edges[index] as number) >= middle : (histogram.edges[index + 1] as number) <= middle;
          const height = number ? Math.max(2, (number / most) * (HEIGHT - 10)) : 0;
          return <rect key={index} x={left} y={HEIGHT - height} width={width} height={height} fill={passes ? "var(--ice)" : "var(--line)"} />;
        })}
        {spread > 0 && <rect x={x(middle - spread)} y={0} width={Math.max(1, x(middle + spread) - x(middle - spread))} height={HEIGHT} fill="var(--text)" opacity={0.1} />}
        <line x1={x(middle)} x2={x(middle)} y1={0} y2={HEIGHT} stroke="var(--text)" strokeWidth={1.5} />
      </svg>
      <figcaption className="mt-1 flex justify-between text-xs text-soft">
        <span className="tabular">{plain(Math.abs(low) < (high - low) * 1e-3 ? 0 : low)}</span>
        <span>
          {histogram.passing !== null && (
            <>
              <b className="tabular font-medium text-text">{count(histogram.passing ?? 0)}</b> of <span className="tabular">{count(histogram.total)}</span>{" "}
              {atContacts ? "impacts in the run" : `at frame ${frame}`}
            </>
          )}
        </span>
        <span className="tabular">
          {plain(high)} {catalogue.units[unit] ?? ""}
        </span>
      </figcaption>
    </figure>
  );
}
