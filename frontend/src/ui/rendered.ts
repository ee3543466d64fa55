/** Counts how often things render where somebody wants to know: a test sets `renderings` on the window. */

declare global {
  interface Window {
    renderings?: Record<string, number>;
  }
}

export function rendered(what: string): void {
  const tally = window.renderings;
  if (tally) tally[what] = (tally[what] ?? 0) + 1;
}
