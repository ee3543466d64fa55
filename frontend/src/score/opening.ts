/** What was just added, exchanged or begun anew opens the box of its first value, ready to be typed over. */

import type { Path } from "@/state/document";
import { exchange } from "@/state/exchanging";
import type { Session } from "@/state/session";

/** Opens it, unless something else has been turned to meanwhile. */
export function openFirst(path: Path): void {
  const within = path.join("/");
  // After the page has been drawn with it.
  setTimeout(() => {
    if (document.querySelector('[role="dialog"], [role="menu"]')) return;
    if (document.activeElement?.matches("input, textarea, [contenteditable]")) return;
    const chips = [...document.querySelectorAll<HTMLElement>("[data-item] [data-at] .chip[data-value]")];
    const chip = chips.find((one) => `${one.closest<HTMLElement>("[data-at]")!.dataset.at}/`.startsWith(`${within}/`));
    chip?.scrollIntoView({ block: "nearest" });
    chip?.click();
  });
}

/** The same kind again: all its values as they are when it is new. */
export async function beginAnew(session: Session, path: Path, kind: string): Promise<void> {
  if (!(await exchange(session, path, kind))) return;
  session.set({ hint: "Its values began anew. Undo brings back what they were." });
  openFirst(path);
}
