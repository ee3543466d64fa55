/** Things of the page that stand at places of the stage: moved along when the camera or the places move. */

import { Vector3, type PerspectiveCamera } from "three";

type Place = () => Vector3 | null;

export class Pins {
  private readonly pinned = new Map<HTMLElement, { place: Place; apart: number }>();

  /**
   * Keep an element over a place; returns how to let go of it. One that is to stand `apart` (pixels) from others of that sort is not seen
   * where an earlier one would be in its way.
   */
  pin(element: HTMLElement, place: Place, apart = 0): () => void {
    this.pinned.set(element, { place, apart });
    return () => void this.pinned.delete(element);
  }

  place(camera: PerspectiveCamera, width: number, height: number): void {
    const point = new Vector3();
    const standing: [number, number][] = [];
    for (const [element, { place, apart }] of this.pinned) {
      const at = place();
      if (at) point.copy(at).project(camera);
      const [x, y] = [((point.x + 1) / 2) * width, ((1 - point.y) / 2) * height];
      const clear = apart === 0 || standing.every(([left, top]) => Math.hypot(left - x, top - y) >= apart);
      const seen = at !== null && point.z < 1 && clear;
      element.style.visibility = seen ? "visible" : "hidden";
      if (!seen) continue;
      if (apart > 0) standing.push([x, y]);
      element.style.transform = `translate(-50%, -50%) translate(${x.toFixed(1)}px, ${y.toFixed(1)}px)`;
    }
  }
}
