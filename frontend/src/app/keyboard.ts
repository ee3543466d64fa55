/** Keys: which command a press means, and which presses belong to what has the focus. */

import { useEffect } from "react";
import { useSession } from "@/state/use";
import { commands, type Command, type Opening } from "./commands";

/** How a key press is written, as commands have their keys. */
export function written(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">): string {
  const key = event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const control = event.ctrlKey || event.metaKey;
  // Shift is part of what a sign is, but not of a letter or a named key.
  const shift = event.shiftKey && (control || event.altKey || key.length > 1);
  return [control && "Ctrl", event.altKey && "Alt", shift && "Shift", key].filter(Boolean).join("+");
}

/** Whether a key press means a command's keys. */
export const meant = (event: KeyboardEvent, keys: string): boolean =>
  written(event).toLowerCase() === keys.toLowerCase();

/** Keys that one may hit by mistake while typing elsewhere: letters, figures and signs by themselves. */
export const isSingle = (keys: string): boolean => keys.length === 1;

const TYPING =
  "input:not([type=checkbox]):not([type=range]):not([type=color]):not([type=radio]), textarea, select, [contenteditable=true]";

/** What a list or a box to tick does with Space is its own; everywhere else Space plays. */
const OWN_SPACE =
  "input[type=checkbox], input[type=radio], [role=menu], [role=listbox], [role=alertdialog], [data-modal]";

/** A value's box in which nothing has been typed: undo there means the document's. */
const UNTOUCHED = "[data-hop]:not([data-typed])";

/** Text fields keep their keys, open menus and dialogs too; Space plays from wherever else the focus happens to be. */
export function isTaken(event: KeyboardEvent): boolean {
  const target = event.target instanceof Element ? event.target : document.body;
  if (target.closest(TYPING)) {
    const undoing = event.key.toLowerCase() === "z";
    return !(event.ctrlKey || event.metaKey) || (undoing && !target.matches(UNTOUCHED));
  }
  if (event.key === " ") return !!target.closest(OWN_SPACE);
  // Undo and the palette also work from within a value's box.
  const control = event.ctrlKey || event.metaKey;
  if (target.closest("[role=dialog], [role=menu]")) return !control || !["k", "z"].includes(event.key.toLowerCase());
  return false;
}

export function useKeys(open: Opening): void {
  const session = useSession();
  useEffect(() => {
    const held = new Map<string, Command>();
    const press = (event: KeyboardEvent) => {
      if (isTaken(event)) return;
      const { singleKeys } = session.app.preferences.getState();
      const command = commands(session, open).find(
        ({ keys }) => keys && meant(event, keys) && (singleKeys || !isSingle(keys)),
      );
      if (!command) return;
      event.preventDefault();
      if (command.release && event.repeat) return;
      command.run();
      if (command.release) held.set(event.key.toLowerCase(), command);
    };
    const release = (event: KeyboardEvent) => {
      held.get(event.key.toLowerCase())?.release?.();
      held.delete(event.key.toLowerCase());
      // A button that has the focus would be pressed as the key comes up.
      if (event.key === " " && !isTaken(event)) event.preventDefault();
    };
    const lost = () => {
      held.forEach((command) => command.release?.());
      held.clear();
    };
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    window.addEventListener("blur", lost);
    return () => {
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
      window.removeEventListener("blur", lost);
    };
  }, [session, open]);
}
