/** Three short hints on the first effect that is opened: a threshold, a ring, why. Never again after. */

import { useEffect, useState } from "react";
import { useApp, usePreferences } from "@/state/use";
import { Button } from "@/ui/controls";

interface Step {
  title: string;
  text: string;
  /** What of the page it points at, the first of these that is there. */
  at: string[];
}

const STEPS: Step[] = [
  {
    title: "Every underlined value can be clicked",
    text:
      "Type another number, or vary it. A threshold opens on the distribution of what it is compared with: " +
      "drag its line to where you want it.",
    at: ['[data-item^="rules/"] .chip[aria-label^="Threshold"]', '[data-item^="rules/"] .chip', ".chip"],
  },
  {
    title: "Numbers show whom a rule catches",
    text:
      "At the right of each rule stands for how many it holds now. Rest on it, and those particles are ringed " +
      "on the stage; click, and they stay so.",
    at: ['[data-item^="rules/"] [data-count]'],
  },
  {
    title: "Ask why",
    text:
      "Click a particle to read its values, its life story and why each rule holds for it or not. " +
      "Where a rule holds for nobody, “why?” says what stands in its way.",
    at: ['[data-testid="stage"]'],
  },
];

const WIDTH = 300;
/** Room that the words need at the most (pixels). */
const TALL = 220;

interface Place {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Where the words stand: right of the score, so that they cover nothing that is spoken of, and over the stage, so that it can be
 * played meanwhile. */
function besides({ left, top, width, height }: Place): { left: number; top: number } {
  const stage = document.querySelector("[data-testid=stage]")?.getBoundingClientRect();
  const edge = stage?.left ?? 0;
  const at = width === 0 ? left - WIDTH / 2 : Math.max(left + width, edge) + 16;
  return {
    left: Math.min(at, innerWidth - WIDTH - 12),
    top: Math.min(Math.max(56, top + height / 2 - 40), (stage?.bottom ?? innerHeight) - TALL),
  };
}

export function FirstHints() {
  const app = useApp();
  const welcomed = usePreferences((state) => state.welcomed);
  const [step, setStep] = useState(0);
  const [place, setPlace] = useState<Place | null>(null);
  const shown = STEPS[step];
  useEffect(() => {
    if (welcomed || !shown) return;
    let brought = false;
    // Things come one after another as the effect opens.
    const timer = setInterval(() => {
      const target = shown.at.map((one) => document.querySelector(one)).find((found) => found !== null);
      if (!target) return;
      // Once: afterwards one may look elsewhere.
      if (!brought) target.scrollIntoView({ block: "nearest" });
      brought = true;
      const box = target.getBoundingClientRect();
      const large = box.width > WIDTH * 2;
      const left = Math.round(large ? box.left + box.width / 2 : box.left);
      const top = Math.round(large ? box.top + box.height / 2 : box.top);
      const size = large ? 0 : 1;
      const next = { left, top, width: Math.round(box.width * size), height: Math.round(box.height * size) };
      setPlace((before) => (JSON.stringify(before) === JSON.stringify(next) ? before : next));
    }, 400);
    return () => clearInterval(timer);
  }, [welcomed, shown]);
  if (welcomed || !shown || !place) return null;
  const end = () => app.preferences.setState({ welcomed: true });
  const last = step === STEPS.length - 1;
  const { width, height } = place;
  return (
    <>
      {width > 0 && (
        <div
          className="pointer-events-none fixed z-30 rounded border-2 border-brass"
          style={{ left: place.left - 4, top: place.top - 3, width: width + 8, height: height + 6 }}
        />
      )}
      <aside
        role="note"
        aria-label="First steps"
        className="fixed z-30 rounded-md border border-ice/50 bg-raised p-3 shadow-xl"
        style={{ ...besides(place), width: WIDTH }}
      >
        <h2 className="mb-1 font-medium">{shown.title}</h2>
        <p className="leading-relaxed text-soft">{shown.text}</p>
        <div className="mt-2 flex items-center justify-between">
          <span className="tabular text-xs text-soft">
            {step + 1} of {STEPS.length}
          </span>
          <span className="flex gap-2">
            {!last && <Button onClick={end}>No more hints</Button>}
            <Button tone="main" onClick={() => (last ? end() : setStep(step + 1))}>
              {last ? "Begin" : "Next"}
            </Button>
          </span>
        </div>
      </aside>
    </>
  );
}
