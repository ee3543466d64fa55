/** Items of the score: a heading with its handle and menu, and a sentence. */

import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Ellipsis, GripVertical } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { freshId, freshLabel, nameOf, relabelled, usesOf, wordFor, type Collection, type Node } from "@/state/document";
import { commit, edit, useStudio } from "@/state/studio";
import { Button, Dialog, Menu, type MenuEntry } from "@/ui/controls";
import { AllValues } from "./AllValues";
import { useScore } from "./context";
import { NotesUnder } from "./notes";
import { Sentence } from "./Sentence";

interface CardProps {
  collection: Collection;
  item: Node;
  index: number;
  info: KindInfo;
  /** What stands beside the name: a colour, a count. */
  mark?: ReactNode;
  aside?: ReactNode;
  children?: ReactNode;
  off?: boolean;
  extra?: MenuEntry[];
  /** Further buttons beside the name, seen on hover. */
  buttons?: ReactNode;
  /** Name and sentence on one line, for things that are set up once. */
  compact?: boolean;
}

/** The frame that all items share. */
export function Card({
  collection,
  item,
  index,
  info,
  mark,
  aside,
  children,
  off,
  extra = [],
  buttons,
  compact,
}: CardProps) {
  const { effect, catalogue } = useScore();
  const selected = useStudio((state) => state.selected?.[0] === collection && state.selected[1] === index);
  const [asking, setAsking] = useState<string[] | null>(null);
  const [renaming, setRenaming] = useState(false);
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id: `${collection}/${String(item.id)}`,
  });
  const path = [collection, index] as const;
  const name = nameOf(item, wordFor(catalogue, collection), index);
  const labelled = "label" in item;
  const remove = () => {
    const refers = usesOf(effect, catalogue, wordFor(catalogue, collection), String(item.id));
    if (refers.length) setAsking(refers);
    else edit(path, undefined);
  };
  const duplicate = () => {
    const list = effect[collection];
    const copy: Node = {
      ...structuredClone(item),
      id: freshId(String(item.id), list),
      ...(labelled && item.label ? { label: freshLabel(String(item.label), list) } : {}),
    };
    commit({ ...effect, [collection]: [...list.slice(0, index + 1), copy, ...list.slice(index + 1)] });
  };
  const sentence = children ?? <Sentence info={info} node={item} path={path} whole />;
  const entries: MenuEntry[] = [
    ...(labelled ? [{ label: "Rename", onSelect: () => setTimeout(() => setRenaming(true), 50) }] : []),
    ...extra,
    { label: "Duplicate", onSelect: duplicate },
    {
      label: "Show in the guide",
      onSelect: () => useStudio.setState({ lens: "guide", lensOpen: true, guidePage: null, selected: [...path] }),
    },
    { label: "Delete", danger: true, onSelect: remove },
  ];
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-item={`${collection}/${String(item.id)}`}
      aria-label={name}
      onClick={() => useStudio.setState({ selected: [...path] })}
      className={`group/card relative border-b border-line/60 ${compact ? "py-[3px]" : "py-1.5"} pl-6 pr-3 ${selected ? "bg-raised/60" : "hover:bg-raised/30"} ${isDragging ? "z-10 bg-raised shadow-lg" : ""} ${off ? "opacity-50" : ""}`}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        aria-label={`Move ${name}`}
        className={`absolute left-0 ${compact ? "top-0.5" : "top-1.5"} grid size-6 cursor-grab touch-none place-items-center text-line hover:text-soft group-hover/card:text-soft`}
        {...attributes}
        {...listeners}
      >
        <GripVertical className="size-4" />
      </button>
      <div className={`flex ${compact ? "min-h-5" : "min-h-6"} items-start gap-2`}>
        <div className="min-w-0 flex-1">
          <div className="flex items-center gap-1.5">
            {mark}
            {renaming ? (
              <input
                autoFocus
                aria-label="Name"
                className="min-w-0 flex-1 rounded border border-line bg-panel px-1 focus:border-ice focus:outline-none"
                defaultValue={String(item.label ?? "")}
                onFocus={(event) => event.target.select()}
                onBlur={(event) => {
                  setRenaming(false);
                  const next = event.target.value.trim();
                  if (next !== item.label && (next || collection === "rules"))
                    commit(relabelled(effect, catalogue, collection, index, next));
                }}
                onKeyDown={(event) => {
                  if (event.key === "Escape") event.currentTarget.value = String(item.label ?? "");
                  if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
                }}
              />
            ) : (
              <span className={`${compact ? "" : "truncate"} min-w-0 leading-[1.6]`}>
                {labelled && (
                  <span className="mr-2 font-medium" onDoubleClick={() => setRenaming(true)}>
                    {name}
                  </span>
                )}
                {compact && <span className="text-text/85">{sentence}</span>}
              </span>
            )}
            {off && <span className="text-xs text-soft">off</span>}
            {/* Its room is always there: nothing may re-wrap under the pointer. */}
            <span
              className={`${compact ? "-my-0.5 ml-auto self-start" : ""} flex shrink-0 items-center opacity-0 focus-within:opacity-100 group-hover/card:opacity-100`}
            >
              {buttons}
              <AllValues info={info} node={item} path={path} label={name} />
              <Menu
                entries={entries}
                trigger={
                  <button
                    type="button"
                    aria-label={`More for ${name}`}
                    className="rounded p-[5px] text-soft hover:bg-raised hover:text-text"
                  >
                    <Ellipsis className="size-3.5" />
                  </button>
                }
              />
            </span>
          </div>
        </div>
        {aside}
      </div>
      {!compact && <div className="leading-[1.65] text-text/85">{sentence}</div>}
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
