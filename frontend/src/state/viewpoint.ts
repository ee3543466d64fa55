/** Where one looks from. Whoever draws the stage at the moment answers: the latest that came and has not gone. */

export type Point = [number, number, number];

export interface Pose {
  position: readonly number[];
  target: readonly number[];
}

export type ViewName = "home" | "front" | "side" | "above";

export interface Answering {
  /** Looks at everything from a side. */
  look: (view: ViewName) => void;
  /** Brings what is selected into full view. */
  frameSelected?: () => void;
  /** Goes to a pose. */
  go?: (pose: Pose) => void;
}

export class Viewpoint {
  /** The stage's camera, told by whoever moves it: pictures are seen from there unless they have a camera of their own. */
  private standing: Pose = { position: [5, 4, 9], target: [0, 1, 0] };
  private readonly answering: Answering[] = [];

  get pose(): Pose {
    return this.standing;
  }

  /** The camera has been moved here. */
  stand(pose: Pose): void {
    this.standing = pose;
  }

  /** Answer from now on; returns how to stop. */
  answer(one: Answering): () => void {
    this.answering.push(one);
    return () => {
      const place = this.answering.indexOf(one);
      if (place >= 0) this.answering.splice(place, 1);
    };
  }

  look(view: ViewName): void {
    this.answering.at(-1)?.look(view);
  }

  frameSelected(): void {
    this.answering.at(-1)?.frameSelected?.();
  }

  go(pose: Pose): void {
    this.standing = pose;
    this.answering.at(-1)?.go?.(pose);
  }
}
