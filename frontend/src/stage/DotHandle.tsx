/** A round handle on the stage that is dragged in the plane of the picture, or nudged with the arrow keys (Shift: further). */

import { useRef } from "react";
import { Plane, Vector3 } from "three";
import { useEngine, usePin } from "./engine";

interface Props {
  place: Vector3;
  label: string;
  hint?: string;
  point?: boolean;
  /** Filled where two of a kind mean different things. */
  full?: boolean;
  /** Keeps it on a line through its place along this way. */
  along?: Vector3;
  onMove: (place: Vector3) => void;
  onEnd: () => void;
  onRemove?: () => void;
}

const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

export function DotHandle({ place, label, hint, point, full, along, onMove, onEnd, onRemove }: Props) {
  const engine = useEngine();
  const button = useRef<HTMLButtonElement>(null);
  const start = useRef<{ plane: Plane; away: Vector3 } | null>(null);
  usePin(button, place);
  const under = (event: { clientX: number; clientY: number }, plane: Plane): Vector3 | null =>
    engine.rayAt(event.clientX, event.clientY).ray.intersectPlane(plane, new Vector3());
  const onLine = (to: Vector3): Vector3 =>
    along ? place.clone().addScaledVector(along, to.clone().sub(place).dot(along)) : to;
  const nudge = (event: React.KeyboardEvent) => {
    if (onRemove && (event.key === "Delete" || event.key === "Backspace")) {
      event.preventDefault();
      event.stopPropagation();
      return onRemove();
    }
    const way = WAYS[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    const { camera } = engine;
    const step = (event.shiftKey ? 0.02 : 0.002) * camera.position.distanceTo(place);
    if (along) onMove(place.clone().addScaledVector(along, (way[0] + way[1]) * (event.shiftKey ? 0.1 : 0.01)));
    else {
      const right = new Vector3().setFromMatrixColumn(camera.matrixWorld, 0);
      const up = new Vector3().setFromMatrixColumn(camera.matrixWorld, 1);
      onMove(
        place
          .clone()
          .addScaledVector(right, way[0] * step)
          .addScaledVector(up, way[1] * step),
      );
    }
    onEnd();
  };
  const grab = (event: React.PointerEvent) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const ahead = engine.camera.getWorldDirection(new Vector3());
    // On a line: the plane through it that faces the eye most.
    const normal = along ? ahead.clone().addScaledVector(along, -ahead.dot(along)).normalize() : ahead;
    const plane = new Plane().setFromNormalAndCoplanarPoint(normal, place);
    const grabbed = under(event, plane);
    start.current = { plane, away: grabbed ? place.clone().sub(grabbed) : new Vector3() };
    // While a handle is dragged the camera stays where it is.
    engine.hold(true);
  };
  const edge = point || along ? "border-ice" : "border-brass";
  const fill = full ? "bg-ice/80" : point || along ? "bg-stage hover:bg-ice" : "bg-stage hover:bg-brass";
  return (
    <button
      ref={button}
      type="button"
      aria-label={label}
      title={hint ?? `${label}, or use the arrow keys`}
      className="pin grid size-6 cursor-grab touch-none place-items-center rounded-full active:cursor-grabbing"
      onPointerDown={grab}
      onPointerMove={(event) => {
        const now = start.current && under(event, start.current.plane);
        if (now && start.current) onMove(onLine(now.add(start.current.away)));
      }}
      onPointerUp={() => {
        if (start.current) onEnd();
        start.current = null;
        engine.hold(false);
      }}
      onKeyDown={nudge}
    >
      <span className={`block size-3.5 rounded-full border-2 ${edge} ${fill}`} />
    </button>
  );
}
