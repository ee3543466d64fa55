/** What was just added or exchanged opens the box of its first value, ready to be typed over. */

import type { Path } from "@/state/document";

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
