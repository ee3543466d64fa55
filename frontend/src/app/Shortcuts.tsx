/** The list of keys: each can be changed or switched off, and single keys all at once. */

import { useState } from "react";
import { useApp, usePreferences } from "@/state/use";
import { Button, Dialog } from "@/ui/controls";
import type { Command } from "./commands";
import { written } from "./keyboard";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  list: Command[];
}

/** Keys that only go with others. */
const BARE = ["Control", "Alt", "Shift", "Meta"];

export function Shortcuts({ open, onOpenChange, list }: Props) {
  const app = useApp();
  const singleKeys = usePreferences((state) => state.singleKeys);
  const changed = usePreferences((state) => state.keys);
  const [asking, setAsking] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const put = (name: string, keys: string) => app.preferences.setState({ keys: { ...changed, [name]: keys } });
  const shown = list.filter((command) => command.keys || command.name in changed);
  const take = (command: Command, event: React.KeyboardEvent) => {
    event.preventDefault();
    event.stopPropagation();
    if (BARE.includes(event.key)) return;
    setAsking(null);
    if (event.key === "Escape") return;
    const keys = written(event.nativeEvent);
    const other = list.find((entry) => entry !== command && entry.keys?.toLowerCase() === keys.toLowerCase());
    if (other) return setProblem(`${keys} is taken: ${other.label}.`);
    setProblem("");
    put(command.name, keys);
  };
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Keyboard"
      description="In text fields, keys type; everywhere else they do this. Click a key to change it."
    >
      <label className="mb-2 flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-[var(--ice)]"
          checked={singleKeys}
          onChange={(event) => app.preferences.setState({ singleKeys: event.target.checked })}
        />
        Single letters and signs work as keys
      </label>
      {problem && (
        <p role="alert" className="mb-2 text-ember">
          {problem}
        </p>
      )}
      <table className="w-full">
        <tbody>
          {shown.map((command) => (
            <tr key={command.name} className="border-b border-line/50">
              <td className="py-1">{command.label}</td>
              <td className="text-right">
                <button
                  type="button"
                  aria-label={`Key for ${command.label}: ${command.keys ?? "none"}`}
                  onClick={() => setAsking(command.name)}
                  onKeyDown={(event) => asking === command.name && take(command, event)}
                  onBlur={() => setAsking(null)}
                  className="tabular h-6 min-w-6 rounded border border-line px-1.5 text-xs hover:border-ice"
                >
                  {asking === command.name ? "press a key…" : (command.keys ?? "off")}
                </button>
                {command.keys && (
                  <button
                    type="button"
                    aria-label={`No key for ${command.label}`}
                    title="Switch this key off"
                    onClick={() => put(command.name, "")}
                    className="ml-1 h-6 min-w-6 text-soft hover:text-text"
                  >
                    ×
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-3 flex justify-end">
        <Button
          disabled={Object.keys(changed).length === 0}
          onClick={() => app.preferences.setState({ keys: {}, singleKeys: true })}
        >
          All keys as they were
        </Button>
      </div>
    </Dialog>
  );
}
