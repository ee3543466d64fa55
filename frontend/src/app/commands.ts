/** Everything that can be done by name or key, in one list: the palette, the shortcuts and their help read it. */

import { adders } from "@/score/adding";
import { nameOf, wordFor, type Collection } from "@/state/document";
import { redo, undo, useStudio } from "@/state/studio";
import { runAgain, seek, stopRun } from "@/state/trials";
import { stageView } from "@/stage/view";
import { pause, step, toggle } from "@/clock/playing";
import { lastFrame } from "@/state/studio";

export interface Command {
  group: string;
  label: string;
  keys?: string;
  run: () => void;
}

export const toneNow = (): string => document.documentElement.dataset.tone ?? "dark";

export function setTone(tone: string): void {
  document.documentElement.dataset.tone = tone;
  localStorage.setItem("tone", tone);
  useStudio.setState((state) => ({ stats: [...state.stats] }));
}

const last = (): number => lastFrame(useStudio.getState().document);

/** Commands with keys work anywhere outside of text fields. */
export function commands(open: {
  palette: () => void;
  shortcuts: () => void;
  versions: () => void;
  library: () => void;
}): Command[] {
  const { catalogue, document: effect } = useStudio.getState();
  const add = catalogue ? adders(catalogue) : null;
  const list: Command[] = [
    { group: "Time", label: "Play or pause", keys: "Space", run: toggle },
    { group: "Time", label: "One frame back", keys: ",", run: () => step(-1) },
    { group: "Time", label: "One frame on", keys: ".", run: () => step(1) },
    { group: "Time", label: "To the start", keys: "Home", run: () => (pause(), seek(0)) },
    { group: "Time", label: "To the end", keys: "End", run: () => (pause(), seek(last())) },
    { group: "Time", label: "Stop computing", run: () => void stopRun() },
    { group: "Time", label: "Compute again", run: runAgain },
    { group: "Edit", label: "Undo", keys: "Ctrl+Z", run: undo },
    { group: "Edit", label: "Redo", keys: "Ctrl+Shift+Z", run: redo },
    { group: "Edit", label: "Versions…", run: open.versions },
    { group: "Stage", label: "Everything in view", keys: "0", run: () => stageView.look("home") },
    { group: "Stage", label: "From the front", keys: "1", run: () => stageView.look("front") },
    { group: "Stage", label: "From the side", keys: "2", run: () => stageView.look("side") },
    { group: "Stage", label: "From above", keys: "3", run: () => stageView.look("above") },
    {
      group: "Stage",
      label: "Handles: move the chosen shape",
      keys: "M",
      run: () => useStudio.setState({ handles: "move" }),
    },
    { group: "Stage", label: "Handles: turn it", keys: "T", run: () => useStudio.setState({ handles: "turn" }) },
    { group: "Stage", label: "Handles: scale it", keys: "S", run: () => useStudio.setState({ handles: "scale" }) },
    {
      group: "Stage",
      label: "The finished picture, or back to the stage",
      keys: "P",
      run: () => useStudio.setState((state) => ({ picturing: !state.picturing })),
    },
    {
      group: "Stage",
      label: "Colour everybody by group",
      keys: "B",
      run: () => useStudio.setState((state) => ({ byGroup: !state.byGroup })),
    },
    {
      group: "Time",
      label: "Exact or onward edits",
      keys: "O",
      run: () => useStudio.setState((state) => ({ onward: !state.onward })),
    },
    {
      group: "Stage",
      label: "Let go of what is ringed",
      keys: "Escape",
      run: () => useStudio.setState({ highlight: null, highlighted: null, particle: null, selected: null }),
    },
    {
      group: "Window",
      label: "Fold or unfold the lens",
      keys: "L",
      run: () => useStudio.setState((state) => ({ lensOpen: !state.lensOpen })),
    },
    { group: "Window", label: "Charts", keys: "C", run: () => useStudio.setState({ lens: "charts", lensOpen: true }) },
    { group: "Window", label: "Guide", keys: "G", run: () => useStudio.setState({ lens: "guide", lensOpen: true }) },
    { group: "Window", label: "Find a command", keys: "Ctrl+K", run: open.palette },
    { group: "Window", label: "Keyboard", keys: "?", run: open.shortcuts },
    { group: "Window", label: "Light or dark", run: () => setTone(toneNow() === "dark" ? "light" : "dark") },
    { group: "Window", label: "Back to the library", run: open.library },
  ];
  if (add && effect) {
    list.push({ group: "Add", label: "Add a rule", keys: "R", run: () => add.rules.add() });
    list.push({ group: "Add", label: "Add a source", run: () => add.sources.add() });
    list.push({ group: "Add", label: "Add a group", run: () => add.groups.add() });
    list.push({ group: "Add", label: "Add a dial", run: () => add.dials.add() });
    list.push({ group: "Add", label: "Add a field", run: () => add.fields.add() });
    list.push({ group: "Add", label: "Add an attribute", run: () => add.attributes.add() });
    for (const info of catalogue!.slots.shape ?? []) {
      const label = info.kind === "mesh" ? "Import a mesh…" : `Add a shape: ${info.title.toLowerCase()}`;
      list.push({ group: "Add", label, run: () => add.shapes.add(info) });
    }
    for (const info of catalogue!.slots.look ?? [])
      list.push({ group: "Add", label: `Add a look: ${info.title}`, run: () => add.looks.add(info) });
    for (const collection of ["sources", "rules", "shapes", "groups"] as Collection[]) {
      effect[collection].forEach((item, index) => {
        const run = () => {
          useStudio.setState({ selected: [collection, index] });
          document
            .querySelector(`[data-item="${collection}/${String(item.id)}"]`)
            ?.scrollIntoView({ block: "center", behavior: "smooth" });
        };
        list.push({
          group: "Go to",
          label: `${wordFor(catalogue!, collection)}: ${nameOf(item, wordFor(catalogue!, collection), index)}`,
          run,
        });
      });
    }
  }
  return list;
}

/** Whether a key press means a command's keys. */
export function meant(event: KeyboardEvent, keys: string): boolean {
  const parts = keys.split("+");
  const key = parts.at(-1)!;
  const control = parts.includes("Ctrl");
  if (control !== (event.ctrlKey || event.metaKey)) return false;
  if (control && parts.includes("Shift") !== event.shiftKey) return false;
  const pressed = event.key === " " ? "Space" : event.key;
  return pressed.toLowerCase() === key.toLowerCase();
}

const TYPING =
  "input:not([type=checkbox]):not([type=range]):not([type=color]):not([type=radio]), textarea, select, [contenteditable=true]";

/** What a list or a box to tick does with Space is its own; everywhere else Space plays. */
const OWN_SPACE =
  "input[type=checkbox], input[type=radio], [role=menu], [role=listbox], [role=alertdialog], [data-modal]";

/** Text fields keep their keys, open menus and dialogs too; Space plays from wherever else the focus happens to be. */
export function isTaken(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement;
  if (target.closest?.(TYPING)) return !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() === "z";
  if (event.key === " ") return !!target.closest?.(OWN_SPACE);
  // Undo and the palette also work from within a value's box.
  const control = event.ctrlKey || event.metaKey;
  if (target.closest?.("[role=dialog], [role=menu]")) return !control || !["k", "z"].includes(event.key.toLowerCase());
  return false;
}
