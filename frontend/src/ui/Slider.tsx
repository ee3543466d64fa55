/** A slider: dragging tries values, letting go commits one. */

import { Slider as RadixSlider } from "radix-ui";

interface SliderProps {
  value: number;
  low: number;
  high: number;
  step: number;
  label: string;
  /** Spreads small values apart: the whole way is this many times as steep at its end as at its beginning. 0 is straight. */
  bend?: number;
  onTry: (value: number) => void;
  onCommit: (value: number) => void;
}

/** Dragging tries values; letting go commits one. */
export function Slider({ value, low, high, step, label, bend = 0, onTry, onCommit }: SliderProps) {
  if (bend > 1) {
    // From 0 to 1 along the way, by powers; a number of three digits comes out, whatever its size.
    const along = (number: number) => Math.log(1 + ((bend - 1) * (number - low)) / (high - low)) / Math.log(bend);
    const back = (share: number) => Number((low + ((bend ** share - 1) / (bend - 1)) * (high - low)).toPrecision(3));
    return (
      <Straight
        value={along(Math.min(high, Math.max(low, value)))}
        low={0}
        high={1}
        step={0.002}
        label={label}
        text={String(value)}
        onTry={(share) => onTry(back(share))}
        onCommit={(share) => onCommit(back(share))}
      />
    );
  }
  return <Straight value={value} low={low} high={high} step={step} label={label} onTry={onTry} onCommit={onCommit} />;
}

function Straight({ value, low, high, step, label, text, onTry, onCommit }: SliderProps & { text?: string }) {
  return (
    <RadixSlider.Root
      className="relative flex h-5 w-full touch-none select-none items-center"
      value={[Math.min(high, Math.max(low, value))]}
      min={low}
      max={high}
      step={step}
      onValueChange={([next]) => onTry(next as number)}
      onValueCommit={([next]) => onCommit(next as number)}
    >
      <RadixSlider.Track className="relative h-[3px] grow rounded bg-line">
        <RadixSlider.Range className="absolute h-full rounded bg-ice/70" />
      </RadixSlider.Track>
      <RadixSlider.Thumb
        aria-label={label}
        aria-valuetext={text}
        className="block size-3.5 rounded-full border-2 border-ice bg-raised"
      />
    </RadixSlider.Root>
  );
}
