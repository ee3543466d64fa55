/** The command palette: everything that can be done, found by its name. */

import { Command as Palette_ } from "cmdk";
import { Dialog } from "@/ui/controls";
import type { Command } from "./commands";
import { cx } from "@/ui/cx";

export function Palette({
  open,
  onOpenChange,
  list,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  list: Command[];
}) {
  const groups = [...new Set(list.map((command) => command.group))];
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Do something">
      <Palette_ label="Commands" className="-mx-2">
        <Palette_.Input
          autoFocus
          placeholder="What would you like to do?"
          className="mb-2 w-full rounded border border-line bg-stage px-3 py-2 outline-none placeholder:text-soft focus:border-ice"
        />
        <Palette_.List className="max-h-[46vh] overflow-y-auto">
          <Palette_.Empty className="px-3 py-4 text-soft">Nothing of that name.</Palette_.Empty>
          {groups.map((group) => (
            <Palette_.Group
              key={group}
              heading={group}
              className={cx(
                "[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2",
                "[&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-soft",
              )}
            >
              {list
                .filter((command) => command.group === group)
                .map((command, index) => (
                  <Palette_.Item
                    key={`${command.label} ${index}`}
                    value={`${group} ${command.label}`}
                    onSelect={() => {
                      onOpenChange(false);
                      setTimeout(command.run, 0);
                    }}
                    className="flex cursor-pointer justify-between rounded px-3 py-1.5 data-[selected=true]:bg-ice/8"
                  >
                    {command.label}
                    {command.keys && <kbd className="tabular text-xs text-soft">{command.keys}</kbd>}
                  </Palette_.Item>
                ))}
            </Palette_.Group>
          ))}
        </Palette_.List>
      </Palette_>
    </Dialog>
  );
}
