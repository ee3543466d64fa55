/** The points of a path as numbers; on the stage they are dragged. */

import { Plus, X } from "lucide-react";
import type { Path } from "@/state/document";
import { IconButton } from "@/ui/controls";
import {} from "@/ui/numbers";
import { worth } from "@/ui/typed";
import { useSession } from "@/state/use";
import { cx } from "@/ui/cx";

export function PointsEditor({ value, path }: { value: number[][]; path: Path }) {
  const session = useSession();
  const put = (index: number, axis: number, text: string) => {
    const number = worth(text, "m", 24);
    if (number !== null) session.edit([...path, index, axis], number);
  };
  const add = (index: number) => {
    const [here, next] = [value[index]!, value[index + 1]];
    const middle = next
      ? here.map((entry, axis) => (entry + next[axis]!) / 2)
      : here.map((entry, axis) => entry * 2 - value[index - 1]![axis]!);
    session.edit(path, [
      ...value.slice(0, index + 1),
      middle.map((entry) => Number(entry.toFixed(4))),
      ...value.slice(index + 1),
    ]);
  };
  return (
    <div>
      <p className="mb-1.5 text-xs text-soft">
        Metres, in the path’s own space. Select the path to drag them on the stage.
      </p>
      <ol className="max-h-56 space-y-1 overflow-y-auto pr-1">
        {value.map((point, index) => (
          <li key={index} className="grid grid-cols-[20px_1fr_1fr_1fr_24px_24px] items-center gap-1">
            <span className="tabular text-xs text-soft">{index + 1}</span>
            {point.map((entry, axis) => (
              <input
                key={`${axis} ${entry}`}
                aria-label={`Point ${index + 1} ${"xyz"[axis]}`}
                className={cx(
                  "tabular w-full rounded border border-line bg-panel px-1 py-0.5 text-right text-xs",
                  "focus:border-ice focus:outline-none",
                )}
                defaultValue={String(entry)}
                onBlur={(event) => event.target.value !== String(entry) && put(index, axis, event.target.value)}
                onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
              />
            ))}
            <IconButton label={`A point after point ${index + 1}`} className="!size-6" onClick={() => add(index)}>
              <Plus />
            </IconButton>
            <IconButton
              label={`Remove point ${index + 1}`}
              className="!size-6"
              disabled={value.length <= 2}
              onClick={() => session.edit([...path, index], undefined)}
            >
              <X />
            </IconButton>
          </li>
        ))}
      </ol>
    </div>
  );
}
