/** Everything that can be done by name or key, in one list: the palette, the shortcuts and their help read it. */

import { adders, duplicated, turnTo } from "@/state/adding";
import { listOf, nameOf, usesOf, wordFor, type Collection } from "@/state/document";
import { lastFrame } from "@/state/run";
import type { LensTab, Session, SessionState } from "@/state/session";
import type { Window } from "./Studio";

export interface Command {
  /** By which its key is remembered. */
  name: string;
  group: string;
  label: string;
  keys?: string;
  run: () => void;
  /** Done when the key comes up again, for what lasts as long as it is held. */
  release?: () => void;
}

export interface Opening {
  window: (next: Window) => void;
  library: () => void;
}

/** Collections whose items the keys for duplicating and removing work on. */
const ITEMS: readonly string[] = [
  "shapes",
  "fields",
  "dials",
  "groups",
  "neighbourhoods",
  "attributes",
  "sources",
  "rules",
  "looks",
];

function selectedItem({ state }: Session): { collection: Collection; index: number } | null {
  const [collection, index] = state.selected ?? [];
  return ITEMS.includes(String(collection)) ? { collection: collection as Collection, index: Number(index) } : null;
}

function duplicate(session: Session): void {
  const item = selectedItem(session);
  if (!item) return session.set({ hint: "Choose a rule, a look, a source or another item of the score first." });
  session.commit(duplicated(session.state.document, item.collection, item.index));
  turnTo(session, item.collection, item.index + 1);
}

function remove(session: Session): void {
  const item = selectedItem(session);
  if (!item) return;
  const { document, catalogue } = session.state;
  const word = wordFor(catalogue, item.collection);
  const node = listOf(document, item.collection)[item.index];
  const users = node ? usesOf(document, catalogue, word, String(node.id)) : [];
  if (users.length)
    return session.set({ hint: `It is in use: ${users.join(", ")}. Point them at something else first.` });
  session.set({ selected: null });
  session.edit([item.collection, item.index], undefined);
}

/** Moves the chosen item up or down among its own. */
function shift(session: Session, by: number): void {
  const item = selectedItem(session);
  if (!item) return;
  const { document } = session.state;
  const list = [...listOf(document, item.collection)];
  const to = item.index + by;
  if (to < 0 || to >= list.length) return;
  const [moved] = list.splice(item.index, 1);
  list.splice(to, 0, moved!);
  session.edit([item.collection], list);
  turnTo(session, item.collection, to);
}

function letGo(session: Session): void {
  const { tool, measured, chosen, stageOnly } = session.state;
  // One thing at a time, the latest first.
  if (tool !== "look") return session.set({ tool: "look", measured: measured?.to ? measured : null });
  if (measured) return session.set({ measured: null });
  if (chosen) return session.set({ chosen: null });
  if (stageOnly) return session.set({ stageOnly: false });
  session.set({ highlight: null, highlighted: null, particle: null, selected: null });
}

/** Commands with keys work anywhere outside of text fields. */
export function commands(session: Session, open: Opening): Command[] {
  const { catalogue, document: effect } = session.state;
  const { playing, viewpoint, app } = session;
  const add = adders(session);
  const list: Command[] = [];
  const group = (title: string) => (label: string, keys: string | undefined, run: () => void, release?: () => void) =>
    list.push({ name: `${title}: ${label}`, group: title, label, keys, run, release });
  const switched =
    (name: "stageOnly" | "picturing" | "byGroup" | "touches" | "strays" | "table" | "onward" | "costs" | "dialled") =>
    () =>
      session.set({ [name]: !session.state[name] } as Partial<SessionState>);
  const lens = (tab: LensTab) => () => {
    const { lens: now, lensOpen } = session.state;
    session.set({ lens: tab, lensOpen: !(lensOpen && now === tab) });
  };

  const time = group("Time");
  time("Play or pause", "Space", () => playing.toggle());
  time("One frame back", ",", () => playing.step(-1));
  time("One frame on", ".", () => playing.step(1));
  time("To the start", "Home", () => (playing.pause(), session.seek(0)));
  time("To the end", "End", () => (playing.pause(), session.seek(lastFrame(session.state.document))));
  time("Stop computing", undefined, () => void session.run.stop());
  time("Compute again", undefined, () => session.run.again());
  time("Exact or onward edits", "O", switched("onward"));

  const edit = group("Edit");
  edit("Undo", "Ctrl+Z", () => session.undo());
  edit("Redo", "Ctrl+Shift+Z", () => session.redo());
  edit("Duplicate the chosen item", "D", () => duplicate(session));
  edit("Remove the chosen item", "Delete", () => remove(session));
  edit("Move the chosen item up", "Alt+ArrowUp", () => shift(session, -1));
  edit("Move the chosen item down", "Alt+ArrowDown", () => shift(session, 1));
  edit("Versions…", undefined, () => open.window("versions"));

  const stage = group("Stage");
  stage("Everything in view", "0", () => viewpoint.look("home"));
  stage("From the front", "1", () => viewpoint.look("front"));
  stage("From the side", "2", () => viewpoint.look("side"));
  stage("From above", "3", () => viewpoint.look("above"));
  stage("The chosen thing in view", "4", () => viewpoint.frameSelected());
  stage("Handles: move the chosen shape", "M", () => session.set({ handles: "move" }));
  stage("Handles: turn it", "T", () => session.set({ handles: "turn" }));
  stage("Handles: scale it", "S", () => session.set({ handles: "scale" }));
  stage("Measure between two points", "W", () => session.set({ tool: "measure", measured: null }));
  stage("Choose many in a box", "Q", () => session.set({ tool: "box" }));
  stage("The finished picture, or back to the stage", "P", switched("picturing"));
  stage("Colour everybody by group", "B", switched("byGroup"));
  stage("Where things touch", "X", switched("touches"));
  stage("Who is far out", "Z", switched("strays"));
  stage("Everybody in a table", "I", switched("table"));
  stage("All dials over the stage", "K", switched("dialled"));
  stage("What each item takes of a step", "U", () => {
    switched("costs")();
    if (session.state.costs && !session.run.state.trial?.computed)
      session.set({ hint: "What each item takes stands beside it as soon as frames have been computed." });
  });
  stage("A value beside each particle", "N", () =>
    session.set({ values: session.state.values === null ? "id" : null }),
  );
  const before = (on: boolean) => () => session.set({ before: on });
  stage("As it was before the last edit (hold)", "V", before(true), before(false));
  if (session.state.comparing) stage("Done comparing", undefined, () => session.stopComparing());
  effect.dials.forEach((dial) => {
    if (dial.type === "number")
      stage(`Compare two values of ${dial.label}`, undefined, () => session.beginComparing(dial));
  });
  stage("Let go of what is ringed or chosen", "Escape", () => letGo(session));
  stage("The stage alone, or everything", "F", switched("stageOnly"));

  const panels = group("Window");
  panels("Fold or unfold the lens", "L", () => session.set({ lensOpen: !session.state.lensOpen }));
  panels("Fold or unfold the score", "J", () => session.set({ scoreOpen: !session.state.scoreOpen }));
  panels("Find in the score", "/", () => {
    const focus = () => document.getElementById("score-search")?.focus();
    // Where the score is there what is typed next goes into the box already.
    if (session.state.scoreOpen) return focus();
    session.set({ scoreOpen: true });
    setTimeout(focus, 30);
  });
  panels("Probe", undefined, lens("probe"));
  panels("Charts", "C", lens("charts"));
  panels("Advisories", "A", lens("advisories"));
  panels("Guide", "G", lens("guide"));
  panels("Find a command", "Ctrl+K", () => open.window("palette"));
  panels("Keyboard", "?", () => open.window("shortcuts"));
  panels("Light or dark", undefined, () => {
    const { tone } = app.preferences.getState();
    app.preferences.setState({ tone: tone === "dark" ? "light" : "dark" });
  });
  panels("Back to the library", undefined, open.library);

  const adding = group("Add");
  adding("Add a rule", "R", () => add.rules.add());
  for (const info of catalogue.slots.emission ?? []) {
    adding(`Add a source: ${info.title}`, undefined, () => add.sources.add(info));
  }
  adding("Add a group", undefined, () => add.groups.add());
  adding("Add a dial", undefined, () => add.dials.add());
  adding("Add a field", undefined, () => add.fields.add());
  adding("Add a neighbourhood", undefined, () => add.neighbourhoods.add());
  adding("Add an attribute", undefined, () => add.attributes.add());
  for (const info of catalogue.slots.shape ?? []) {
    const label = info.kind === "mesh" ? "Import a mesh…" : `Add a shape: ${info.title.toLowerCase()}`;
    adding(label, undefined, () => add.shapes.add(info));
  }
  for (const info of catalogue.slots.look ?? []) {
    adding(`Add a look: ${info.title}`, undefined, () => add.looks.add(info));
  }

  const go = group("Go to");
  for (const collection of ["sources", "rules", "shapes", "groups", "neighbourhoods"]) {
    const word = wordFor(catalogue, collection);
    listOf(effect, collection).forEach((item, index) =>
      go(`${word}: ${nameOf(item, word, index)}`, undefined, () => turnTo(session, collection, index, "center")),
    );
  }
  const { keys } = app.preferences.getState();
  return list.map((command) =>
    command.name in keys ? { ...command, keys: keys[command.name] || undefined } : command,
  );
}
