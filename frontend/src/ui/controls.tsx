/** Small controls in one look, on Radix primitives. */

import { Dialog as RadixDialog, DropdownMenu, Popover as RadixPopover, Slider as RadixSlider, Tooltip } from "radix-ui";
import { useState, type ComponentProps, type KeyboardEvent, type ReactNode } from "react";
import { cx } from "@/ui/cx";

export function Button({
  tone = "quiet",
  className = "",
  ...rest
}: ComponentProps<"button"> & { tone?: "quiet" | "main" | "danger" }) {
  const tones = {
    quiet: "border-line text-text hover:bg-raised disabled:opacity-40",
    main: "border-ice/60 text-ice hover:bg-ice/10 disabled:opacity-40",
    danger: "border-ember/50 text-ember hover:bg-ember/10 disabled:opacity-40",
  };
  return (
    <button type="button" className={`rounded border px-2.5 py-1 leading-5 ${tones[tone]} ${className}`} {...rest} />
  );
}

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

interface PopoverProps {
  trigger: ReactNode;
  children: ReactNode;
  label: string;
  wide?: boolean;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
}

/** Values that Tab walks through: from the last of one box to the next chip of the score, and back with Shift. */
const HOPS = "[data-hop]";

/** The chip before or behind the one that a box belongs to. */
function neighbour(box: HTMLElement, by: number): HTMLElement | null {
  const trigger = document.querySelector(`[aria-controls="${box.id}"]`);
  const chips = [...document.querySelectorAll<HTMLElement>("[data-item] .chip")];
  const place = chips.findIndex((chip) => chip === trigger);
  return place < 0 ? null : (chips[place + by] ?? null);
}

export function Popover({ trigger, children, label, wide, open, onOpenChange }: PopoverProps) {
  const [own, setOwn] = useState(false);
  const change = (next: boolean) => {
    setOwn(next);
    onOpenChange?.(next);
  };
  const walk = (event: KeyboardEvent<HTMLDivElement>) => {
    const target = event.target as HTMLElement;
    if (event.key !== "Tab" || !target.matches(HOPS)) return;
    const box = event.currentTarget;
    const values = [...box.querySelectorAll<HTMLElement>(HOPS)];
    if (target !== values.at(event.shiftKey ? 0 : -1)) return;
    const next = neighbour(box, event.shiftKey ? -1 : 1);
    if (!next) return;
    event.preventDefault();
    // Leaving a value keeps it; what cannot be read stays where it is.
    target.blur();
    setTimeout(() => {
      if (target.getAttribute("aria-invalid") === "true") return target.focus();
      change(false);
      next.scrollIntoView({ block: "nearest" });
      next.focus();
      if (next.getAttribute("aria-haspopup") === "dialog") next.click();
    }, 0);
  };
  return (
    <RadixPopover.Root open={open ?? own} onOpenChange={change}>
      <RadixPopover.Trigger asChild>{trigger}</RadixPopover.Trigger>
      <RadixPopover.Portal>
        <RadixPopover.Content
          aria-label={label}
          // The value itself has the focus, ready to be typed over; else the box, not its first button: that would pop up a hint.
          onOpenAutoFocus={(event) => {
            event.preventDefault();
            const box = event.currentTarget as HTMLElement;
            (box.querySelector<HTMLElement>(`${HOPS}, [autofocus], [cmdk-input]`) ?? box).focus();
          }}
          onKeyDown={walk}
          tabIndex={-1}
          side="bottom"
          align="start"
          sideOffset={6}
          collisionPadding={10}
          className={cx(
            "z-40 max-h-[min(600px,var(--radix-popover-content-available-height))] overflow-y-auto",
            "rounded-md border border-line bg-raised p-3 shadow-xl outline-none",
            `${wide ? "w-96" : "w-80"}`,
          )}
        >
          {children}
        </RadixPopover.Content>
      </RadixPopover.Portal>
    </RadixPopover.Root>
  );
}

interface SliderProps {
  value: number;
  low: number;
  high: number;
  step: number;
  label: string;
  /** Spreads small values apart: the whole way is this many times as steep at its end as at its beginning. 0 is straight. */
  bend?: number;
  onTry: (value: number) => void;
  onCommit: (value: number) => void;
}

/** Dragging tries values; letting go commits one. */
export function Slider({ value, low, high, step, label, bend = 0, onTry, onCommit }: SliderProps) {
  if (bend > 1) {
    // From 0 to 1 along the way, by powers; a number of three digits comes out, whatever its size.
    const along = (number: number) => Math.log(1 + ((bend - 1) * (number - low)) / (high - low)) / Math.log(bend);
    const back = (share: number) => Number((low + ((bend ** share - 1) / (bend - 1)) * (high - low)).toPrecision(3));
    return (
      <Straight
        value={along(Math.min(high, Math.max(low, value)))}
        low={0}
        high={1}
        step={0.002}
        label={label}
        text={String(value)}
        onTry={(share) => onTry(back(share))}
        onCommit={(share) => onCommit(back(share))}
      />
    );
  }
  return <Straight value={value} low={low} high={high} step={step} label={label} onTry={onTry} onCommit={onCommit} />;
}

function Straight({ value, low, high, step, label, text, onTry, onCommit }: SliderProps & { text?: string }) {
  return (
    <RadixSlider.Root
      className="relative flex h-5 w-full touch-none select-none items-center"
      value={[Math.min(high, Math.max(low, value))]}
      min={low}
      max={high}
      step={step}
      onValueChange={([next]) => onTry(next as number)}
      onValueCommit={([next]) => onCommit(next as number)}
    >
      <RadixSlider.Track className="relative h-[3px] grow rounded bg-line">
        <RadixSlider.Range className="absolute h-full rounded bg-ice/70" />
      </RadixSlider.Track>
      <RadixSlider.Thumb
        aria-label={label}
        aria-valuetext={text}
        className="block size-3.5 rounded-full border-2 border-ice bg-raised"
      />
    </RadixSlider.Root>
  );
}

export interface MenuEntry {
  label: string;
  hint?: string;
  onSelect: () => void;
  disabled?: boolean;
  danger?: boolean;
  heading?: string;
}

export function Menu({ trigger, entries }: { trigger: ReactNode; entries: MenuEntry[] }) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
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
                    "data-[highlighted]:bg-ice/12 data-[disabled]:opacity-40",
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
