/** The engine that draws the stage, for what stands on it. */

import { createContext, useContext, useEffect, type RefObject } from "react";
import type { Vector3 } from "three";
import type { StageEngine } from "./StageEngine";

export const EngineContext = createContext<StageEngine | null>(null);

export function useEngine(): StageEngine {
  const engine = useContext(EngineContext);
  if (!engine) throw new Error("this stands outside of the stage");
  return engine;
}

/** Keep an element over a place of the stage. */
export function usePin(element: RefObject<HTMLElement | null>, place: Vector3 | null, apart = 0): void {
  const engine = useEngine();
  useEffect(() => {
    if (!element.current) return;
    const letGo = engine.pins.pin(element.current, () => place, apart);
    engine.invalidate();
    return letGo;
  }, [engine, element, place, apart]);
}
