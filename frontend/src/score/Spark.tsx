/** A small curve over time with the playhead, which moves by itself. */

import { memo } from "react";
import { useStudio } from "@/state/use";

interface Props {
  values: (number | null)[];
  width?: number;
  height?: number;
  /** The frames that the values belong to, where it is not every frame. */
  frames?: number[];
}

export const Spark = memo(function Spark({ values, width = 46, height = 14, frames }: Props) {
  if (values.length < 2) return <svg width={width} height={height} aria-hidden />;
  const most = Math.max(1e-9, ...values.map((value) => value ?? 0));
  const x = (index: number) => (index / (values.length - 1)) * width;
  const y = (value: number) => height - 1 - (value / most) * (height - 2);
  const point = (value: number | null, index: number) =>
    value === null
      ? ""
      : `${index > 0 && values[index - 1] !== null ? "L" : "M"}${x(index).toFixed(1)} ${y(value).toFixed(1)}`;
  return (
    <svg width={width} height={height} aria-hidden className="shrink-0">
      <path d={values.map(point).join("")} fill="none" stroke="currentColor" strokeWidth={1} opacity={0.8} />
      <Now count={values.length} frames={frames} width={width} height={height} />
    </svg>
  );
});

interface NowProps {
  count: number;
  frames?: number[];
  width: number;
  height: number;
}

function Now({ count, frames, width, height }: NowProps) {
  const at = useStudio((state) => (frames ? between(frames, state.frame) : state.frame));
  if (at >= count) return null;
  const x = (at / (count - 1)) * width;
  return <line x1={x} x2={x} y1={0} y2={height} stroke="var(--brass)" strokeWidth={1} />;
}

/** Where a frame lies among some, as a place in their list. */
function between(frames: number[], frame: number): number {
  const after = frames.findIndex((entry) => entry >= frame);
  if (after <= 0) return after === 0 ? 0 : frames.length - 1;
  const [low, high] = [frames[after - 1]!, frames[after]!];
  return after - 1 + (frame - low) / (high - low);
}
