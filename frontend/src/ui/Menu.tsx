/** A menu at a button. */

import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { cx } from "@/ui/cx";
import { unlessTaken } from "./focus";

export interface MenuEntry {
  label: string;
  hint?: string;
  onSelect: () => void;
  disabled?: boolean;
  danger?: boolean;
  heading?: string;
}

interface MenuProps {
  trigger: ReactNode;
  entries: MenuEntry[];
  /** Whether it is open as it comes, for one who has asked for it before it was there. */
  begun?: boolean;
}

export function Menu({ trigger, entries, begun }: MenuProps) {
  return (
    <DropdownMenu.Root modal={false} defaultOpen={begun}>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={unlessTaken}
          className={cx(
            "z-50 max-h-[min(460px,var(--radix-dropdown-menu-content-available-height))] min-w-52",
            "overflow-y-auto rounded-md border border-line bg-raised p-1 shadow-xl",
          )}
        >
          {entries.map((entry, index) => {
            const head = entry.heading !== entries[index - 1]?.heading ? entry.heading : null;
            return (
              <div key={index}>
                {head && <DropdownMenu.Label className="px-2 pb-0.5 pt-2 text-xs text-soft">{head}</DropdownMenu.Label>}
                <DropdownMenu.Item
                  disabled={entry.disabled}
                  onSelect={entry.onSelect}
                  className={cx(
                    "flex cursor-pointer items-baseline justify-between gap-4 rounded px-2 py-1 outline-none",
                    "data-[highlighted]:bg-ice/8 data-[disabled]:opacity-40",
                    `${entry.danger ? "text-ember" : ""}`,
                  )}
                >
                  <span>{entry.label}</span>
                  {entry.hint && <span className="text-xs text-soft">{entry.hint}</span>}
                </DropdownMenu.Item>
              </div>
            );
          })}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
