/** Playing: moves the playhead at the effect's own rate, but never onto a frame that is not there yet; tells how fast it really goes. */

import { lastFrame } from "./run";
import type { Session } from "./session";

/** Frames that are there before a new effect begins to play. */
const BEGIN = 12;
/** Span over which the pace is judged (milliseconds). */
const SPAN = 1000;

export class Playing {
  private timer = 0;
  private started = 0;
  private carried = 0;
  /** When the last frames came, for the pace. */
  private shown: number[] = [];

  constructor(private readonly session: Session) {}

  play(): void {
    const { playing, frame, document, range } = this.session.state;
    if (playing) return;
    const [first, last] = range ?? [0, lastFrame(document)];
    if (frame >= last || frame < first) this.session.seek(first);
    this.session.set({ playing: true, pace: null });
    this.started = performance.now();
    this.carried = 0;
    this.shown = [];
    this.session.show();
    this.timer = requestAnimationFrame((now) => this.tick(now));
  }

  /** Play as soon as the first frames are there, unless one has begun to do something else by then. */
  playWhenReady(): void {
    const { committed } = this.session.state;
    const settle = () => {
      const { playing, committed: now, frame } = this.session.state;
      const elsewhere = playing || now !== committed || frame !== 0;
      if (!elsewhere && (this.session.run.state.trial?.computed ?? 0) < BEGIN) return;
      stops.forEach((stop) => stop());
      if (!elsewhere) this.play();
    };
    // Any press or key means that one has begun.
    const touched = () => stops.forEach((stop) => stop());
    const presses = ["pointerdown", "keydown"] as const;
    presses.forEach((press) => document.addEventListener(press, touched, true));
    const stops = [
      () => presses.forEach((press) => document.removeEventListener(press, touched, true)),
      this.session.store.subscribe(settle),
      this.session.run.store.subscribe(settle),
    ];
  }

  pause(): void {
    cancelAnimationFrame(this.timer);
    if (!this.session.state.playing) return;
    this.session.set({ playing: false, pace: null });
    this.session.seek(this.session.state.frame);
  }

  toggle(): void {
    if (this.session.state.playing) this.pause();
    else this.play();
  }

  step(by: number): void {
    this.pause();
    this.session.seek(this.session.state.frame + by);
  }

  private tick(now: number): void {
    const { playing, document, frame, loop, range } = this.session.state;
    if (!playing) return;
    const rate = document.clock.frames_per_second;
    const duration = 1000 / rate;
    this.carried += now - this.started;
    this.started = now;
    let next = frame;
    while (this.carried >= duration) {
      const [first, last] = range ?? [0, lastFrame(document)];
      const candidate = next >= last || next < first ? (loop ? first : last) : next + 1;
      if (candidate === next) return this.pause();
      if (!this.session.runs.every((run) => run.isReady(candidate))) {
        // Wait for it: time stands still rather than skipping what nobody has seen.
        this.carried = 0;
        break;
      }
      next = candidate;
      this.carried -= duration;
      this.shown.push(now);
    }
    this.judge(now, rate);
    if (next !== frame) this.session.set({ frame: next });
    this.session.show();
    this.timer = requestAnimationFrame((then) => this.tick(then));
  }

  /** The true speed, over the last second, in steps of a twentieth. */
  private judge(now: number, rate: number): void {
    const first = this.shown[0];
    if (first === undefined || now - first < SPAN) return;
    this.shown = this.shown.filter((at) => now - at < SPAN);
    const pace = Math.round(((this.shown.length * 1000) / SPAN / rate) * 20) / 20;
    if (pace !== this.session.state.pace) this.session.set({ pace });
  }
}
