/** Words that come up where one rests, and icons that have a name. */

import { Tooltip } from "radix-ui";
import type { ComponentProps, ReactNode } from "react";
import { cx } from "@/ui/cx";

/** An icon with a name: read aloud, and shown as a tooltip. */
export function IconButton({
  label,
  keys,
  children,
  className = "",
  ...rest
}: ComponentProps<"button"> & { label: string; keys?: string }) {
  return (
    <Hint text={keys ? `${label}  (${keys})` : label}>
      <button
        type="button"
        aria-label={label}
        className={cx(
          "inline-flex size-7 items-center justify-center rounded text-soft hover:bg-raised",
          "hover:text-text disabled:opacity-30 disabled:hover:bg-transparent [&_svg]:size-4",
          `${className}`,
        )}
        {...rest}
      >
        {children}
      </button>
    </Hint>
  );
}

export function Hint({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Tooltip.Root delayDuration={500}>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={5}
          collisionPadding={8}
          className="z-50 max-w-64 rounded border border-line bg-raised px-2 py-1 text-xs text-text shadow-lg"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
