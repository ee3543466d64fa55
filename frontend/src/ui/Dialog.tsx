/** A dialog over everything. */

import { Dialog as RadixDialog } from "radix-ui";
import type { ReactNode } from "react";
import { cx } from "@/ui/cx";

interface DialogProps {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  description?: string;
  /** Comes up by itself while one may be typing: no choice has the focus, so that no key chooses. */
  unfocused?: boolean;
  wide?: boolean;
  children: ReactNode;
}

export function Dialog({ open, onOpenChange, title, description, unfocused, wide, children }: DialogProps) {
  return (
    <RadixDialog.Root open={open} onOpenChange={onOpenChange}>
      <RadixDialog.Portal>
        <RadixDialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <RadixDialog.Content
          aria-describedby={description ? undefined : ""}
          data-modal
          tabIndex={-1}
          onOpenAutoFocus={(event) => {
            if (!unfocused) return;
            event.preventDefault();
            (event.currentTarget as HTMLElement).focus();
          }}
          className={cx(
            "fixed left-1/2 top-[12%] z-50 max-h-[80vh] max-w-[92vw]",
            `${wide ? "w-[780px]" : "w-[520px]"} -translate-x-1/2 overflow-y-auto rounded-lg border`,
            "border-line bg-panel p-5 shadow-2xl",
          )}
        >
          <RadixDialog.Title className="mb-1 text-base font-medium">{title}</RadixDialog.Title>
          {description && <RadixDialog.Description className="mb-3 text-soft">{description}</RadixDialog.Description>}
          {children}
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}
