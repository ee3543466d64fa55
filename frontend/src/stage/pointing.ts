/** What the pointer does on the stage besides looking around: picking, choosing many in a box, measuring, and choosing a shape. */

import { useEffect, useState, type RefObject } from "react";
import { Plane, Vector3 } from "three";
import { useSession } from "@/state/use";
import type { StageEngine } from "./StageEngine";

/** Pixels that a press may stray and still be a click. */
const STEADY = 4;

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

export function usePointing(engine: StageEngine | null, canvas: RefObject<HTMLCanvasElement | null>): Box | null {
  const session = useSession();
  const [box, setBox] = useState<Box | null>(null);
  useEffect(() => {
    const node = canvas.current;
    if (!engine || !node) return;
    let down: { x: number; y: number; boxing: boolean } | null = null;
    const boxed = (event: PointerEvent): Box => {
      const { left, top } = node.getBoundingClientRect();
      return {
        left: Math.min(event.clientX, down!.x) - left,
        top: Math.min(event.clientY, down!.y) - top,
        width: Math.abs(event.clientX - down!.x),
        height: Math.abs(event.clientY - down!.y),
      };
    };
    const press = (event: PointerEvent) => {
      const boxing = event.button === 0 && (event.shiftKey || session.state.tool === "box");
      down = { x: event.clientX, y: event.clientY, boxing };
      if (!boxing) return;
      // While a box is drawn the camera stays where it is.
      event.stopImmediatePropagation();
      node.setPointerCapture(event.pointerId);
      setBox({ ...boxed(event) });
    };
    const move = (event: PointerEvent) => down?.boxing && setBox(boxed(event));
    const release = (event: PointerEvent) => {
      if (!down) return;
      const { x, y, boxing } = down;
      const steady = Math.hypot(event.clientX - x, event.clientY - y) <= STEADY;
      if (boxing) {
        const { left, top, width, height } = boxed(event);
        setBox(null);
        down = null;
        if (steady) return session.set({ chosen: null, tool: "look" });
        const chosen = engine.particlesIn({ left, top, right: left + width, bottom: top + height });
        return session.set({ chosen: chosen.size ? chosen : null, tool: "look" });
      }
      down = null;
      if (!steady || event.button !== 0) return;
      if (session.state.tool === "measure") return measure(event);
      const picked = engine.particleAt(event.clientX, event.clientY);
      if (picked) session.set({ particle: picked.id, chosen: null, lens: "probe", lensOpen: true });
      else session.set({ particle: null, chosen: null });
    };
    const measure = (event: PointerEvent) => {
      const place = placeAt(engine, event);
      const { measured } = session.state;
      if (!place) return;
      if (!measured || measured.to) session.set({ measured: { from: place, to: null } });
      else session.set({ measured: { ...measured, to: place }, tool: "look" });
    };
    const choose = (event: MouseEvent) => {
      const hit = engine.shapeAt(event.clientX, event.clientY);
      if (hit) session.set({ selected: ["shapes", hit.index] });
    };
    // Before the camera's own listeners, so that a box can keep the camera still.
    node.addEventListener("pointerdown", press, true);
    node.addEventListener("pointermove", move);
    node.addEventListener("pointerup", release);
    node.addEventListener("dblclick", choose);
    return () => {
      node.removeEventListener("pointerdown", press, true);
      node.removeEventListener("pointermove", move);
      node.removeEventListener("pointerup", release);
      node.removeEventListener("dblclick", choose);
    };
  }, [engine, canvas, session]);
  return box;
}

/** The place pointed at: a particle, else a solid shape, else the ground. */
function placeAt(engine: StageEngine, { clientX, clientY }: PointerEvent): [number, number, number] | null {
  const particle = engine.particleAt(clientX, clientY);
  const place =
    particle?.place ??
    engine.shapeAt(clientX, clientY, true)?.place ??
    engine.rayAt(clientX, clientY).ray.intersectPlane(new Plane(new Vector3(0, 1, 0), 0), new Vector3());
  return place ? place.toArray() : null;
}
