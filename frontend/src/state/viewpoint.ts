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
  /** The stage has become so many times as wide: what was in view stays in view. */
  refit?: (wider: number) => void;
}

export class Viewpoint {
  /** The stage's camera, told by whoever moves it: pictures are seen from there unless they have a camera of their own. */
  private standing: Pose = { position: [5, 4, 9], target: [0, 1, 0] };
  private readonly answering: Answering[] = [];
  private readonly following = new Set<(pose: Pose) => void>();

  get pose(): Pose {
    return this.standing;
  }

  /** The camera has been moved here, by one of those who follow it or by somebody else. */
  stand(pose: Pose, mover?: (pose: Pose) => void): void {
    this.standing = pose;
    for (const follower of this.following) if (follower !== mover) follower(pose);
  }

  /** Be told wherever the camera goes; returns how to stop. */
  follow(follower: (pose: Pose) => void): () => void {
    this.following.add(follower);
    return () => this.following.delete(follower);
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

  refit(wider: number): void {
    this.answering.at(-1)?.refit?.(wider);
  }

  frameSelected(): void {
    this.answering.at(-1)?.frameSelected?.();
  }

  go(pose: Pose): void {
    this.standing = pose;
    this.answering.at(-1)?.go?.(pose);
  }
}
