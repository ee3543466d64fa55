/** Where one looks from. Whoever draws the stage at the moment answers. */

export type Point = [number, number, number];

export interface Pose {
  position: readonly number[];
  target: readonly number[];
}

export type ViewName = "home" | "front" | "side" | "above";

export class Viewpoint {
  /** The stage's camera, told by whoever moves it: pictures are seen from there unless they have a camera of their own. */
  pose: Pose = { position: [5, 4, 9], target: [0, 1, 0] };
  /** Looks at everything from a side; set by the stage that is on screen. */
  look: (view: ViewName) => void = () => undefined;
  /** Brings what is selected into full view. */
  frameSelected: () => void = () => undefined;
  /** Goes to a pose. */
  go: (pose: Pose) => void = (pose) => {
    this.pose = pose;
  };
}
