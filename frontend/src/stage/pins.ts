/** Things of the page that stand at places of the stage: moved along when the camera or the places move. */

import { Vector3, type PerspectiveCamera } from "three";

type Place = () => Vector3 | null;

export class Pins {
  private readonly pinned = new Map<HTMLElement, Place>();

  /** Keep an element over a place; returns how to let go of it. */
  pin(element: HTMLElement, place: Place): () => void {
    this.pinned.set(element, place);
    return () => void this.pinned.delete(element);
  }

  place(camera: PerspectiveCamera, width: number, height: number): void {
    const point = new Vector3();
    for (const [element, place] of this.pinned) {
      const at = place();
      if (at) point.copy(at).project(camera);
      const seen = at !== null && point.z < 1;
      element.style.visibility = seen ? "visible" : "hidden";
      if (!seen) continue;
      const [x, y] = [((point.x + 1) / 2) * width, ((1 - point.y) / 2) * height];
      element.style.transform = `translate(-50%, -50%) translate(${x.toFixed(1)}px, ${y.toFixed(1)}px)`;
    }
  }
}
