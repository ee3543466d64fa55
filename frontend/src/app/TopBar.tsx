/** The bar at the top: where one is, whether it is saved, undo and redo. */

import { ArrowLeft, History, Keyboard, Moon, PanelRightOpen, Redo2, Search, Sun, Undo2 } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { edit, redo, saveAgain, undo, useStudio } from "@/state/studio";
import { stopClip, useClips } from "@/state/clips";
import { useConnection } from "@/state/live";
import { IconButton } from "@/ui/controls";
import { setTone, toneNow } from "./commands";

export function TopBar({
  onPalette,
  onShortcuts,
  onVersions,
}: {
  onPalette: () => void;
  onShortcuts: () => void;
  onVersions: () => void;
}) {
  const name = useStudio((state) => state.document?.name ?? "");
  const past = useStudio((state) => state.past.length);
  const future = useStudio((state) => state.future.length);
  const lensOpen = useStudio((state) => state.lensOpen);
  const [tone, setLocalTone] = useState(toneNow());
  return (
    <header className="flex h-10 shrink-0 items-center gap-1 border-b border-line bg-panel px-2">
      <Link
        to="/"
        aria-label="Back to the library"
        className="flex items-center gap-1.5 rounded px-2 py-1 text-soft hover:bg-raised hover:text-text"
      >
        <ArrowLeft className="size-4" />
        Library
      </Link>
      <input
        aria-label="Name of the effect"
        className="mx-1 w-64 rounded border border-transparent bg-transparent px-2 py-1 font-medium hover:border-line focus:border-ice focus:outline-none"
        key={name}
        defaultValue={name}
        maxLength={80}
        onBlur={(event) =>
          event.target.value.trim() && event.target.value !== name && edit(["name"], event.target.value.trim())
        }
        title="Enter or leaving keeps what is typed, Escape takes it back."
        onKeyDown={(event) => {
          if (event.key === "Escape") event.currentTarget.value = name;
          if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
        }}
      />
      <IconButton label="Undo" keys="Ctrl+Z" disabled={past === 0} onClick={undo}>
        <Undo2 />
      </IconButton>
      <IconButton label="Redo" keys="Ctrl+Shift+Z" disabled={future === 0} onClick={redo}>
        <Redo2 />
      </IconButton>
      <SaveState />
      <span className="flex-1" />
      <ClipState />
      <button
        type="button"
        onClick={onPalette}
        className="flex items-center gap-2 rounded border border-line px-2 py-0.5 text-soft hover:text-text"
      >
        <Search className="size-3.5" /> Find a command <kbd className="tabular text-xs">Ctrl+K</kbd>
      </button>
      <IconButton label="Versions" onClick={onVersions}>
        <History />
      </IconButton>
      <IconButton
        label={tone === "dark" ? "Light" : "Dark"}
        onClick={() => {
          const next = tone === "dark" ? "light" : "dark";
          setTone(next);
          setLocalTone(next);
        }}
      >
        {tone === "dark" ? <Sun /> : <Moon />}
      </IconButton>
      <IconButton label="Keyboard" keys="?" onClick={onShortcuts}>
        <Keyboard />
      </IconButton>
      {!lensOpen && (
        <IconButton label="Unfold the lens" keys="L" onClick={() => useStudio.setState({ lensOpen: true })}>
          <PanelRightOpen />
        </IconButton>
      )}
    </header>
  );
}

function SaveState() {
  const saving = useStudio((state) => state.saving);
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
        <button type="button" className="underline" onClick={saveAgain}>
          Try again
        </button>
      </span>
    );
  }
  const words = { saved: "saved", saving: "saving…", conflict: "changed elsewhere" }[saving.state];
  return (
    <span role="status" data-testid="saving" className="ml-1 text-xs text-soft">
      {words}
    </span>
  );
}

/** A clip that is being made, wherever one is: how far it is, and a way to stop it. */
function ClipState() {
  const making = useClips((state) => state.making);
  if (!making) return null;
  return (
    <span role="status" className="mr-2 flex items-center gap-2 text-xs text-soft">
      <span className="tabular">
        {making.wish.format === "still" ? "still" : "clip"} {Math.round((making.done / making.total) * 100)} %
      </span>
      <button
        type="button"
        disabled={making.stopping}
        onClick={stopClip}
        className="rounded border border-line px-1.5 text-text hover:bg-raised disabled:opacity-40"
      >
        {making.stopping ? "stopping…" : "Stop"}
      </button>
    </span>
  );
}
