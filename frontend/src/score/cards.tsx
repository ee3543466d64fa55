/** Items of the score: a name with its handle and menu, and a sentence that runs on from it. */

import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Ellipsis, GripVertical } from "lucide-react";
import { useEffect, useRef, useState, type ReactNode, type RefObject } from "react";
import type { KindInfo } from "@/api/client";
import { duplicated, turnTo } from "@/state/adding";
import { nameOf, relabelled, usesOf, wordFor, type Collection, type Node } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { Button, Dialog, Menu, type MenuEntry } from "@/ui/controls";
import { rendered } from "@/ui/rendered";
import { AllValues } from "./AllValues";
import { CostMark } from "./CostMark";
import { NotesUnder } from "./notes";
import { Sentence } from "./Sentence";
import { cx } from "@/ui/cx";

interface CardProps {
  collection: Collection;
  item: Node;
  index: number;
  info: KindInfo;
  /** What stands before the name: a colour, a number. */
  mark?: ReactNode;
  /** What stands at the right edge: a count. */
  aside?: ReactNode;
  /** What stands where the buttons come, as long as the pointer is elsewhere: a curve. */
  behind?: ReactNode;
  /** What runs on from the name; without, the item's own sentence. */
  children?: ReactNode;
  /** What stands below on lines of its own. */
  below?: ReactNode;
  off?: boolean;
  extra?: MenuEntry[];
  /** Further buttons, seen on hover. */
  buttons?: ReactNode;
}

/** The frame that all items share. */
export function Card(props: CardProps) {
  const { collection, item, index, info, mark, aside, behind, children, below, off, extra = [], buttons } = props;
  rendered("card");
  const session = useSession();
  const word = useStudio((state) => wordFor(state.catalogue, collection));
  const selected = useStudio((state) => state.selected?.[0] === collection && state.selected[1] === index);
  const [asking, setAsking] = useState<string[] | null>(null);
  const costs = useStudio((state) => state.costs);
  const address = `${collection}/${String(item.id)}`;
  const [renaming, setRenaming] = useState(session.state.naming === address);
  useEffect(() => {
    if (session.state.naming === address) session.set({ naming: null });
  }, [session, address]);
  const sortable = useSortable({ id: address });
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = sortable;
  const room = useRef<HTMLSpanElement>(null);
  const edge = useRef<HTMLSpanElement>(null);
  useRoomFor(edge, room);
  const path = [collection, index] as const;
  const name = nameOf(item, word, index);
  const labelled = "label" in item;
  const remove = () => {
    const { document, catalogue } = session.state;
    const refers = usesOf(document, catalogue, word, String(item.id));
    if (refers.length) setAsking(refers);
    else session.edit(path, undefined);
  };
  const duplicate = () => {
    session.commit(duplicated(session.state.document, collection, index));
    turnTo(session, collection, index + 1);
  };
  const guide = () => session.set({ lens: "guide", lensOpen: true, guidePage: null, selected: [...path] });
  const entries: MenuEntry[] = [
    ...(labelled ? [{ label: "Rename", onSelect: () => setTimeout(() => setRenaming(true), 50) }] : []),
    ...extra,
    { label: "Duplicate", hint: "D", onSelect: duplicate },
    { label: "Show in the guide", onSelect: guide },
    { label: "Delete", danger: true, onSelect: remove },
  ];
  const tone = selected ? "bg-raised/60" : "hover:bg-raised/30";
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-item={address}
      aria-label={name}
      onClick={() => session.set({ selected: [...path] })}
      className={cx(
        `group/card relative border-b border-line/50 py-px pl-6 pr-2 ${tone}`,
        `${isDragging ? "z-10 bg-raised shadow-lg" : ""} ${off ? "opacity-50" : ""}`,
      )}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        aria-label={`Move ${name}`}
        className={cx(
          "absolute left-0 top-0.5 grid size-6 cursor-grab touch-none place-items-center text-line",
          "hover:text-soft group-hover/card:text-soft",
        )}
        {...attributes}
        {...listeners}
        tabIndex={-1}
      >
        <GripVertical className="size-4" />
      </button>
      {/* Room for what stands at the right of the first line, told after it. */}
      <span ref={room} aria-hidden className="float-right h-5 w-12" />
      <div className="leading-6 text-text/85">
        {mark}
        {renaming ? (
          <Renaming
            label={String(item.label ?? "")}
            onDone={(next) => {
              setRenaming(false);
              if (next === item.label || (!next && collection !== "rules")) return;
              const { document, catalogue } = session.state;
              session.commit(relabelled(document, catalogue, collection, index, next));
            }}
          />
        ) : (
          labelled && (
            <span className="mr-2 font-medium text-text" onDoubleClick={() => setRenaming(true)}>
              {name}
            </span>
          )
        )}
        {off && <span className="mr-2 text-xs text-soft">off</span>}
        {children ?? <Sentence info={info} node={item} path={path} whole />}
      </div>
      <span ref={edge} className="absolute right-2 top-[2px] z-[1] flex h-[22px] items-center">
        {/* Their room is always there: nothing may re-wrap under the pointer. */}
        <span className={`relative flex h-5 items-center justify-end ${buttons ? "min-w-[74px]" : ""}`}>
          {behind && (
            <span className="absolute inset-0 flex items-center justify-end group-focus-within/card:opacity-0 group-hover/card:opacity-0">
              {behind}
            </span>
          )}
          <span className="relative flex gap-px opacity-0 group-focus-within/card:opacity-100 group-hover/card:opacity-100">
            {buttons}
            {!buttons && <AllValues info={info} node={item} path={path} label={name} />}
            <Menu
              entries={entries}
              trigger={
                <button type="button" aria-label={`More for ${name}`} className="card-button">
                  <Ellipsis className="size-3.5" />
                </button>
              }
            />
          </span>
        </span>
        {costs && <CostMark address={address} name={name} />}
        {aside}
      </span>
      {!costs && <CostMark address={address} name={name} />}
      {below && <div className="leading-6 text-text/85">{below}</div>}
      <NotesUnder path={path} />
      <Dialog
        open={asking !== null}
        onOpenChange={() => setAsking(null)}
        title={`'${name}' is in use`}
        description="Deleting it would leave these without it:"
      >
        <ul className="mb-4 list-disc pl-5">
          {asking?.map((user) => (
            <li key={user}>{user}</li>
          ))}
        </ul>
        <p className="mb-4 text-soft">Point them at something else first, then delete it.</p>
        <Button onClick={() => setAsking(null)}>Keep it</Button>
      </Dialog>
    </li>
  );
}

/** Widths are told in steps, so that a number with one digit more does not make lines jump. */
const STEP = 16;

/** Keeps as much room free in the first line as stands at its edge. */
function useRoomFor(edge: RefObject<HTMLElement | null>, room: RefObject<HTMLElement | null>): void {
  useEffect(() => {
    if (!edge.current) return;
    const observer = new ResizeObserver(([entry]) => {
      const wide = Math.ceil((entry?.contentRect.width ?? 0) / STEP) * STEP + 4;
      if (room.current) room.current.style.width = `${wide}px`;
    });
    observer.observe(edge.current);
    return () => observer.disconnect();
  }, [edge, room]);
}

function Renaming({ label, onDone }: { label: string; onDone: (next: string) => void }) {
  return (
    <input
      autoFocus
      aria-label="Name"
      className="mr-2 w-44 rounded border border-line bg-panel px-1 focus:border-ice focus:outline-none"
      defaultValue={label}
      onFocus={(event) => event.target.select()}
      onBlur={(event) => onDone(event.target.value.trim())}
      onKeyDown={(event) => {
        if (event.key === "Escape") event.currentTarget.value = label;
        if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
      }}
    />
  );
}
