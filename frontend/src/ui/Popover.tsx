/** A box that opens at what was clicked. Enter keeps a value and closes it; Tab walks from value to value and on to the next chip; arrows
 * up and down reach what is around. */

import { Popover as RadixPopover } from "radix-ui";
import { flushSync } from "react-dom";
import {
  useCallback,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type ReactNode,
  type RefObject,
} from "react";
import { cx } from "@/ui/cx";
import { unlessTaken } from "./focus";

interface PopoverProps {
  trigger: ReactNode;
  children: ReactNode;
  label: string;
  wide?: boolean | "more";
  /** Takes Escape before the box does; says whether it had a use for it. */
  escapeRef?: RefObject<(() => boolean) | null>;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
}

/** Values that Tab walks through: those of a box, then on to the next chip of the score, and back with Shift. */
const HOPS = "[data-hop]";
/** Milliseconds in which a box that has just opened is not yet closed by what scrolls. */
const SETTLING = 400;
/** All that can have the focus in a box. */
const STOPS = 'button:enabled, input:enabled, select:enabled, textarea:enabled, a[href], [tabindex="0"]';

/** The chip with a value before or behind the one that a box belongs to; those that are only chosen from are passed over. */
function neighbour(box: HTMLElement, by: number): HTMLElement | null {
  const trigger = document.querySelector(`[aria-controls="${box.id}"]`);
  // In a list of values that is a box itself, on through that; else through the score.
  const list = trigger?.closest('[role="dialog"]');
  const chips = list
    ? [...list.querySelectorAll<HTMLElement>(".chip[data-value]")]
    : [...document.querySelectorAll<HTMLElement>("[data-item] .chip[data-value]")];
  const place = chips.findIndex((chip) => chip === trigger);
  return place < 0 ? null : (chips[place + by] ?? null);
}

/**
 * Where a box opens: at its trigger as it stood then, within the item that both belong to. What is dragged in the box rewrites the
 * sentence that the trigger stands in, and the box must not move under the pointer.
 */
class Place {
  private readonly rest = { x: 0, y: 0, width: 0, height: 0 };
  private item: Element | null = null;
  readonly current = { getBoundingClientRect: () => this.now(), contextElement: undefined as Element | undefined };

  open(trigger: Element | null): void {
    this.current.contextElement = trigger ?? undefined;
    this.item = trigger?.closest("[data-item]") ?? trigger;
    const [inner, outer] = [trigger?.getBoundingClientRect(), this.item?.getBoundingClientRect()];
    if (!inner || !outer) return;
    Object.assign(this.rest, { x: inner.x - outer.x, y: inner.y - outer.y, width: inner.width, height: inner.height });
  }

  private now(): DOMRect {
    const outer = this.item?.getBoundingClientRect();
    const { x, y, width, height } = this.rest;
    return new DOMRect((outer?.x ?? 0) + x, (outer?.y ?? 0) + y, width, height);
  }
}

/** Closes the box around it. */
export const PopoverClose = RadixPopover.Close;

export function Popover({ trigger, children, label, wide, escapeRef, open, onOpenChange }: PopoverProps) {
  const [own, setOwn] = useState(false);
  const opener = useRef<HTMLButtonElement>(null);
  const place = useMemo(() => new Place(), []);
  const change = (next: boolean) => {
    setOwn(next);
    onOpenChange?.(next);
  };
  const shown = open ?? own;
  // Below or above its chip; beside it where it would be cut off there and has room here.
  const [side, setSide] = useState<"bottom" | "right">("bottom");
  const measured = useCallback((box: HTMLDivElement | null) => {
    if (!box) return setSide("bottom");
    const whole = new ResizeObserver(() => box.scrollHeight > box.clientHeight + 1 && setSide("right"));
    whole.observe(box);
    for (const part of box.children) whole.observe(part);
    return () => whole.disconnect();
  }, []);
  // The box itself is put on the page after this, and asks then.
  useLayoutEffect(() => {
    if (shown) place.open(opener.current);
  }, [shown, place]);
  // One whose chip has been scrolled away would take what is typed unseen.
  useEffect(() => {
    if (!shown) return;
    const since = performance.now();
    let later: ReturnType<typeof setTimeout> | undefined;
    const look = (view: Element) => {
      if (!opener.current || !view.contains(opener.current)) return;
      const [chip, seen] = [opener.current.getBoundingClientRect(), view.getBoundingClientRect()];
      // One that is not drawn just now is not away.
      if (chip.height === 0 || (chip.bottom > seen.top && chip.top < seen.bottom)) return;
      // Leaving a value keeps it.
      const box = document.getElementById(opener.current.getAttribute("aria-controls") ?? "");
      const held = document.activeElement;
      if (held instanceof HTMLElement && box?.contains(held)) held.blur();
      change(false);
    };
    const scrolled = ({ target: view }: Event) => {
      if (!(view instanceof Element)) return;
      // What is brought into view as the box opens stays open: it is there when that has come to rest.
      const left = since + SETTLING - performance.now();
      if (left <= 0) return look(view);
      clearTimeout(later);
      later = setTimeout(() => look(view), left);
    };
    document.addEventListener("scroll", scrolled, true);
    return () => {
      clearTimeout(later);
      document.removeEventListener("scroll", scrolled, true);
    };
    // The same box whatever its parent passes anew.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shown]);
  const walk = (event: KeyboardEvent<HTMLDivElement>) => {
    const target = event.target as HTMLElement;
    const box = event.currentTarget;
    // What happens in a box that hangs off this one is heard here, too.
    if (!target.matches(HOPS) || !box.contains(target)) return;
    if (event.key === "Enter" && target instanceof HTMLInputElement && !target.closest("[data-stay]"))
      // What cannot be read stays, with the reason; so does the box of one of several stops.
      return void setTimeout(() => target.getAttribute("aria-invalid") !== "true" && change(false));
    const within = (what: string) => [...box.querySelectorAll<HTMLElement>(what)];
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const stops = within(STOPS);
      stops[stops.indexOf(target) + (event.key === "ArrowDown" ? 1 : -1)]?.focus();
      return event.preventDefault();
    }
    if (event.key !== "Tab") return;
    const by = event.shiftKey ? -1 : 1;
    const place = within(HOPS).indexOf(target) + by;
    const beyond = place < 0 || place >= within(HOPS).length;
    const next = beyond ? neighbour(box, by) : target;
    if (!next) return;
    event.preventDefault();
    // At once, so that what is typed next goes into the next value. Leaving a value keeps it; what cannot be read stays.
    flushSync(() => target.blur());
    if (target.getAttribute("aria-invalid") === "true") return target.focus();
    // Keeping it may have changed what there is.
    if (!beyond) return within(HOPS)[place]?.focus();
    flushSync(() => change(false));
    next.scrollIntoView({ block: "nearest" });
    next.focus();
    if (next.getAttribute("aria-haspopup") !== "dialog") return;
    flushSync(() => next.click());
    document
      .getElementById(next.getAttribute("aria-controls") ?? "")
      ?.querySelector<HTMLElement>(HOPS)
      ?.focus();
  };
  return (
    <RadixPopover.Root open={shown} onOpenChange={change}>
      <RadixPopover.Anchor virtualRef={place} />
      <RadixPopover.Trigger ref={opener} asChild>
        {trigger}
      </RadixPopover.Trigger>
      <RadixPopover.Portal>
        <RadixPopover.Content
          aria-label={label}
          // The value itself has the focus, ready to be typed over; else the box, not its first button: that would pop up a hint.
          onOpenAutoFocus={(event) => {
            event.preventDefault();
            const box = event.currentTarget as HTMLElement;
            (box.querySelector<HTMLElement>(`${HOPS}, [autofocus], [cmdk-input], [cmdk-root]`) ?? box).focus();
          }}
          onCloseAutoFocus={unlessTaken}
          onEscapeKeyDown={(event) => escapeRef?.current?.() && event.preventDefault()}
          // The lists of an editor in it hang off the page, but belong to it.
          onInteractOutside={(event) => {
            if (event.target instanceof Element && event.target.closest(".cm-tooltip")) event.preventDefault();
          }}
          ref={measured}
          onKeyDown={walk}
          tabIndex={-1}
          side={side}
          align="start"
          sideOffset={6}
          collisionPadding={10}
          className={cx(
            "z-40 max-h-(--radix-popover-content-available-height) overflow-y-auto",
            "rounded-md border border-line bg-raised p-3 shadow-xl outline-none",
            wide === "more" ? "w-[34rem]" : wide ? "w-96" : "w-80",
          )}
        >
          {children}
        </RadixPopover.Content>
      </RadixPopover.Portal>
    </RadixPopover.Root>
  );
}
