/** The distance between two places on the stage, with its parts along the axes. */

import { useEffect, useMemo, useRef } from "react";
import { BufferGeometry, Float32BufferAttribute, Line, LineBasicMaterial, Vector3 } from "three";
import { useSession, useStudio } from "@/state/use";
import { plain } from "@/ui/numbers";
import { useEngine, usePin } from "./engine";

export function Measured() {
  const measured = useStudio((state) => state.measured);
  if (measured?.to) return <Distance from={measured.from} to={measured.to} />;
  if (measured) return <Mark at={measured.from} />;
  return null;
}

function Mark({ at }: { at: [number, number, number] }) {
  const dot = useRef<HTMLSpanElement>(null);
  const place = useMemo(() => new Vector3().fromArray(at), [at]);
  usePin(dot, place);
  return <span ref={dot} className="pin pointer-events-none block size-2 rounded-full bg-brass" />;
}

function Distance({ from, to }: { from: [number, number, number]; to: [number, number, number] }) {
  const session = useSession();
  const engine = useEngine();
  const label = useRef<HTMLDivElement>(null);
  const [a, b] = useMemo(() => [new Vector3().fromArray(from), new Vector3().fromArray(to)], [from, to]);
  const middle = useMemo(() => a.clone().add(b).multiplyScalar(0.5), [a, b]);
  usePin(label, middle);
  useEffect(() => {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new Float32BufferAttribute([...from, ...to], 3));
    const material = new LineBasicMaterial({ color: "#d8b56c", depthTest: false, transparent: true });
    const line = new Line(geometry, material);
    line.renderOrder = 1_000_000;
    engine.scene.add(line);
    engine.invalidate();
    return () => {
      engine.scene.remove(line);
      geometry.dispose();
      material.dispose();
      engine.invalidate();
    };
  }, [engine, from, to]);
  const way = b.clone().sub(a).toArray();
  const metres = (value: number) => plain(Number(value.toPrecision(3)));
  return (
    <>
      <Mark at={from} />
      <Mark at={to} />
      <div
        ref={label}
        role="status"
        className="pin tabular rounded bg-panel/90 px-2 py-1 text-xs"
        data-testid="measured"
      >
        <span className="text-brass">{metres(a.distanceTo(b))} m</span>
        <span className="ml-2 text-soft">
          {(["x", "y", "z"] as const).map((axis, k) => `${axis} ${metres(Math.abs(way[k]!))}`).join("  ")}
        </span>
        <button
          type="button"
          aria-label="Put the measure away"
          className="ml-1 px-1 text-soft hover:text-text"
          onClick={() => session.set({ measured: null })}
        >
          ×
        </button>
      </div>
    </>
  );
}
