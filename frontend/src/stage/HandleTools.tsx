/** Buttons for what the handles of the chosen shape do, over the stage. */

import { useSession, useStudio } from "@/state/use";
import { useChosen } from "./chosen";
import { LetGo } from "./LetGo";

export function HandleTools() {
  const session = useSession();
  const chosen = useChosen();
  const mode = useStudio((state) => state.handles);
  if (!chosen) return null;
  const label = chosen.shape.label;
  const words = [
    ["Move", "move", "M"],
    ["Turn", "turn", "T"],
    ["Scale", "scale", "S"],
  ] as const;
  return (
    <div role="group" aria-label={`Handles of ${label}`} className="stage-bar">
      <span className="max-w-28 truncate px-2 text-soft">{label}</span>
      {words.map(([word, value, keys]) => (
        <button
          key={value}
          type="button"
          aria-pressed={mode === value}
          title={`${word} it (${keys})`}
          onClick={() => session.set({ handles: value })}
          className="stage-button px-2"
        >
          {word}
        </button>
      ))}
      <LetGo />
    </div>
  );
}
