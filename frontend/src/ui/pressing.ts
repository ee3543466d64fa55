/** A press that began on a button is that button's: what is computed meanwhile re-wraps sentences, and the button may leave
 * from under a pointer that nobody moved. */

/** Pixels by which a pointer may be moved between press and release; one that goes further is drawn away, and nothing is pressed. */
const SLACK = 6;

/** Menus open as they are pressed, and what is chosen in them may be where the pointer is let go. */
const PRESSED = 'button:enabled:not([aria-haspopup="menu"]), [role="option"]';

export function holdPresses(): void {
  let held: { on: Element; x: number; y: number } | null = null;
  const press = (event: PointerEvent) => {
    const on = event.button === 0 && event.target instanceof Element ? event.target.closest(PRESSED) : null;
    held = on && { on, x: event.clientX, y: event.clientY };
    on?.setPointerCapture(event.pointerId);
  };
  const drawnAway = (event: MouseEvent): boolean =>
    !!held &&
    event.detail > 0 &&
    event.target === held.on &&
    Math.hypot(event.clientX - held.x, event.clientY - held.y) > SLACK &&
    !held.on.contains(document.elementFromPoint(event.clientX, event.clientY));
  const click = (event: MouseEvent) => {
    if (drawnAway(event)) event.stopImmediatePropagation();
    held = null;
  };
  // Before anybody else hears of it: who drags takes the pointer afterwards.
  document.addEventListener("pointerdown", press, true);
  document.addEventListener("click", click, true);
}
