/** Lines that are drawn over everything on the stage. */

import { useEffect } from "react";
import { BufferGeometry, Float32BufferAttribute, LineBasicMaterial, LineSegments } from "three";
import { useEngine } from "./engine";

/** Line segments on the stage for as long as they are wanted: places one after another, two for each. */
export function useLines(places: number[], color: string, opacity: number): void {
  const engine = useEngine();
  useEffect(() => {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new Float32BufferAttribute(places, 3));
    const material = new LineBasicMaterial({ color, opacity, depthTest: false, transparent: true });
    const lines = new LineSegments(geometry, material);
    lines.renderOrder = 1_000_000;
    lines.frustumCulled = false;
    engine.scene.add(lines);
    engine.invalidate();
    return () => {
      engine.scene.remove(lines);
      geometry.dispose();
      material.dispose();
      engine.invalidate();
    };
  }, [engine, places, color, opacity]);
}
