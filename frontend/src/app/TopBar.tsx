/** The bar at the top: where one is, whether it is saved, undo and redo. */

import { ArrowLeft, History, Keyboard, Moon, PanelLeft, Redo2, Search, Sun, Undo2 } from "lucide-react";
import { Link } from "react-router";
import { useStore } from "zustand";
import { useApp, useConnection, usePreferences, useSession, useStudio } from "@/state/use";
import { IconButton } from "@/ui/controls";
import type { Window } from "./Studio";
import { cx } from "@/ui/cx";

export function TopBar({ onOpen }: { onOpen: (window: Window) => void }) {
  const app = useApp();
  const session = useSession();
  const name = useStudio((state) => state.document.name);
  const past = useStudio((state) => state.past.length);
  const asked = useStudio((state) => state.asked);
  const future = useStudio((state) => state.future.length);
  const scoreOpen = useStudio((state) => state.scoreOpen);
  const tone = usePreferences((state) => state.tone);
  const rename = (text: string) => text.trim() && text !== name && session.edit(["name"], text.trim());
  return (
    <header className="flex h-10 shrink-0 items-center gap-1 border-b border-line bg-panel px-2">
      <Link
        to="/"
        aria-label="Back to the library"
        className="flex h-7 items-center gap-1.5 rounded px-2 text-soft hover:bg-raised hover:text-text"
      >
        <ArrowLeft className="size-4" />
        Library
      </Link>
      <IconButton
        label={scoreOpen ? "Fold the score away" : "Unfold the score"}
        keys="J"
        aria-pressed={scoreOpen}
        onClick={() => session.set({ scoreOpen: !scoreOpen })}
      >
        <PanelLeft />
      </IconButton>
      <h1 className="sr-only">{name}</h1>
      <input
        aria-label="Name of the effect"
        className={cx(
          "mx-1 w-60 min-w-24 rounded border border-transparent bg-transparent px-2 py-1",
          "font-medium hover:border-line focus:border-ice focus:outline-none",
        )}
        key={name}
        defaultValue={name}
        maxLength={80}
        onBlur={(event) => rename(event.target.value)}
        title="Enter or leaving keeps what is typed, Escape takes it back."
        onKeyDown={(event) => {
          if (event.key === "Escape") event.currentTarget.value = name;
          if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
        }}
      />
      <IconButton label="Undo" keys="Ctrl+Z" disabled={past + asked === 0} onClick={() => session.undo()}>
        <Undo2 />
      </IconButton>
      <IconButton label="Redo" keys="Ctrl+Shift+Z" disabled={future === 0} onClick={() => session.redo()}>
        <Redo2 />
      </IconButton>
      <SaveState />
      <span className="flex-1" />
      <ClipState />
      <button
        type="button"
        onClick={() => onOpen("palette")}
        className="flex h-7 shrink-0 items-center gap-2 rounded border border-line px-2 text-soft hover:text-text"
      >
        <Search className="size-3.5" /> Find a command <kbd className="tabular text-xs">Ctrl+K</kbd>
      </button>
      <IconButton label="Versions" onClick={() => onOpen("versions")}>
        <History />
      </IconButton>
      <IconButton
        label={tone === "dark" ? "Light" : "Dark"}
        onClick={() => app.preferences.setState({ tone: tone === "dark" ? "light" : "dark" })}
      >
        {tone === "dark" ? <Sun /> : <Moon />}
      </IconButton>
      <IconButton label="Keyboard" keys="?" onClick={() => onOpen("shortcuts")}>
        <Keyboard />
      </IconButton>
    </header>
  );
}

/** Whether all is saved. */
export function SaveState() {
  const session = useSession();
  const saving = useStudio((state) => state.saving);
  const asked = useStudio((state) => state.asked);
  const connected = useConnection((state) => state.connected);
  if (!connected)
    return (
      <span role="status" className="ml-1 text-xs text-ember">
        The server does not answer; trying again. Your work stays here.
      </span>
    );
  if (saving.state === "failed") {
    return (
      <span role="alert" className="ml-1 flex min-w-0 items-center gap-2 text-xs text-ember">
        <span className="truncate">Not saved yet: {saving.message}</span>
        <button type="button" className="underline" onClick={() => session.saveAgain()}>
          Try again
        </button>
      </span>
    );
  }
  const words = { saved: "saved", saving: "saving…", conflict: "changed elsewhere" }[
    asked > 0 && saving.state === "saved" ? "saving" : saving.state
  ];
  return (
    <span role="status" data-testid="saving" className="ml-1 text-xs text-soft">
      {words}
    </span>
  );
}

/** A clip that is being made, wherever one is: how far it is, and a way to stop it. */
function ClipState() {
  const { clips } = useApp();
  const making = useStore(clips.store, (state) => state.making);
  if (!making) return null;
  return (
    <span role="status" className="mr-2 flex items-center gap-2 text-xs text-soft">
      <span className="tabular">
        {making.wish.format === "still" ? "still" : "clip"} {Math.round((making.done / making.total) * 100)} %
      </span>
      <button
        type="button"
        disabled={making.stopping}
        onClick={() => clips.stop()}
        className="rounded border border-line px-1.5 text-text hover:bg-raised disabled:opacity-40"
      >
        {making.stopping ? "stopping…" : "Stop"}
      </button>
    </span>
  );
}
