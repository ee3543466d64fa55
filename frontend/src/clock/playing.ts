/** Playing: moves the playhead at the effect's own rate, but never onto a frame that is not there yet. */

import { lastFrame, useStudio } from "@/state/studio";
import { isReady, seek, show } from "@/state/trials";

let timer = 0;
let started = 0;
let carried = 0;

export function play(): void {
  const { playing, frame, document, range } = useStudio.getState();
  if (playing) return;
  const [first, last] = range ?? [0, lastFrame(document)];
  if (frame >= last || frame < first) seek(first);
  useStudio.setState({ playing: true });
  started = performance.now();
  carried = 0;
  void show();
  timer = requestAnimationFrame(tick);
}

/** Play an effect as soon as its first frames are there, unless one has begun to do something else by then. */
export function playWhenReady(id: string): void {
  const { committed } = useStudio.getState();
  const stop = useStudio.subscribe((state) => {
    const elsewhere = state.id !== id || state.playing || state.committed !== committed || state.frame !== 0;
    if (!elsewhere && (state.trial?.computed ?? 0) < BEGIN) return;
    stop();
    if (!elsewhere) play();
  });
}

/** Frames that are there before a new effect begins to play. */
const BEGIN = 12;

export function pause(): void {
  cancelAnimationFrame(timer);
  useStudio.setState({ playing: false });
  const { frame } = useStudio.getState();
  seek(frame);
}

export const toggle = (): void => (useStudio.getState().playing ? pause() : play());

export function step(by: number): void {
  pause();
  seek(useStudio.getState().frame + by);
}

function tick(now: number): void {
  const { playing, document, frame, loop, range } = useStudio.getState();
  if (!playing || !document) return;
  const duration = 1000 / Number(document.clock.frames_per_second);
  carried += now - started;
  started = now;
  let next = frame;
  while (carried >= duration) {
    const [first, last] = range ?? [0, lastFrame(document)];
    const candidate = next >= last || next < first ? (loop ? first : last) : next + 1;
    if (candidate === next) {
      pause();
      return;
    }
    if (!isReady(candidate)) {
      // Wait for it: time stands still rather than skipping what nobody has seen.
      carried = 0;
      break;
    }
    next = candidate;
    carried -= duration;
  }
  if (next !== frame) useStudio.setState({ frame: next });
  void show();
  timer = requestAnimationFrame(tick);
}
