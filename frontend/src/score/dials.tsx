/** Dials whose value is one of a few named numbers. */

import type { Dial } from "@/state/document";
import { useSession } from "@/state/use";
import { Menu } from "@/ui/controls";

/** The names that can be chosen among; the model reads what each counts as. */
export const choicesIn = (options: string): string[] =>
  options
    .split(",")
    .map((entry) => entry.trim().replace(/\s+[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?$/, ""))
    .filter(Boolean);

/** The one that counts: the first, where what was chosen is no longer there. */
export const chosenOf = ({ chosen, options }: Dial): string => {
  const choices = choicesIn(options);
  return choices.includes(chosen) ? chosen : (choices[0] ?? chosen);
};

export function ChosenChip({ dial, index }: { dial: Dial; index: number }) {
  const session = useSession();
  const chosen = chosenOf(dial);
  return (
    <Menu
      trigger={
        <button type="button" className="chip">
          {chosen}
        </button>
      }
      entries={choicesIn(dial.options).map((name) => ({
        label: name,
        hint: name === chosen ? "now" : "",
        onSelect: () => session.edit(["dials", index, "chosen"], name),
      }))}
    />
  );
}
