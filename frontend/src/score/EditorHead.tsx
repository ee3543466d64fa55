/** What stands above an editor: the name of the value, what it means, and a way back to its default. */

import { RotateCcw } from "lucide-react";
import { IconButton } from "@/ui/controls";
import { unmarked } from "@/ui/words";

export function EditorHead({
  label,
  help,
  changed,
  onReset,
}: {
  label: string;
  help?: string | null;
  changed: boolean;
  onReset: () => void;
}) {
  return (
    <div className="mb-2">
      <div className="flex h-6 items-center justify-between">
        <h3 className="font-medium">{label}</h3>
        {changed && (
          <IconButton label="Back to the default" onClick={onReset} className="!size-6">
            <RotateCcw />
          </IconButton>
        )}
      </div>
      {help && <p className="text-xs leading-relaxed text-soft">{unmarked(help)}</p>}
    </div>
  );
}
