/** The command palette: everything that can be done, found by its name. */

import { Command as Palette_ } from "cmdk";
import { useState } from "react";
import { Dialog } from "@/ui/controls";
import { sought } from "@/ui/seeking";
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
  const [typed, setTyped] = useState("");
  const hits = sought(list, typed, ({ label, group }) => ({ name: label, also: group }));
  // As they fit; where nothing is typed, by what they are for.
  const groups = typed ? [""] : [...new Set(list.map((command) => command.group))];
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Do something">
      <Palette_ label="Commands" className="-mx-2" shouldFilter={false}>
        <Palette_.Input
          autoFocus
          value={typed}
          onValueChange={setTyped}
          placeholder="What would you like to do?"
          className="mb-2 w-full rounded border border-line bg-stage px-3 py-2 outline-none placeholder:text-soft focus:border-ice"
        />
        <Palette_.List className="max-h-[46vh] overflow-y-auto">
          <Palette_.Empty className="px-3 py-4 text-soft">Nothing of that name.</Palette_.Empty>
          {groups.map((group) => (
            <Palette_.Group
              key={group}
              heading={group || undefined}
              className={cx(
                "[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2",
                "[&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-soft",
              )}
            >
              {hits
                .filter((command) => !group || command.group === group)
                .map((command, index) => (
                  <Palette_.Item
                    key={`${command.label} ${index}`}
                    value={`${command.group} ${command.label}`}
                    onSelect={() => {
                      onOpenChange(false);
                      setTimeout(command.run, 0);
                    }}
                    className="flex cursor-pointer justify-between rounded px-3 py-1.5 data-[selected=true]:bg-ice/8"
                  >
                    <span>
                      {command.label}
                      {typed && <span className="ml-2 text-xs text-soft">{command.group}</span>}
                    </span>
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
