/** A part of the score with its running head; it folds away by a click on its name. */

import { SortableContext, verticalListSortingStrategy, rectSortingStrategy } from "@dnd-kit/sortable";
import { ChevronDown, Plus } from "lucide-react";
import type { ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import type { Collection } from "@/state/document";
import { useApp, usePreferences } from "@/state/use";
import { KindPopover } from "./KindPicker";

interface PartProps {
  title: string;
  note: string;
  collection?: Collection;
  ids?: string[];
  add?: ReactNode;
  empty?: string;
  /** Whether two items stand beside each other. */
  pairs?: boolean;
  children: ReactNode;
}

export function Part({ title, note, collection, ids, add, empty, pairs, children }: PartProps) {
  const app = useApp();
  const folded = usePreferences((state) => state.folded.includes(title));
  const toggle = () => {
    const { folded: all } = app.preferences.getState();
    app.preferences.setState({ folded: folded ? all.filter((other) => other !== title) : [...all, title] });
  };
  const strategy = pairs ? rectSortingStrategy : verticalListSortingStrategy;
  const body =
    collection && ids ? (
      <SortableContext items={ids.map((id) => `${collection}/${id}`)} strategy={strategy}>
        <ul className={pairs ? "grid grid-cols-2" : ""}>{children}</ul>
      </SortableContext>
    ) : (
      children
    );
  return (
    <section aria-label={title} data-part={title}>
      <header className="sticky top-0 z-[5] flex h-6 items-center gap-1 border-b border-line bg-panel pr-2">
        <button
          type="button"
          aria-expanded={!folded}
          onClick={toggle}
          className="flex h-6 min-w-0 flex-1 items-center text-left"
          title={folded ? `Unfold: ${title}` : `Fold: ${title}`}
        >
          <ChevronDown className={`mx-1 size-4 shrink-0 text-soft ${folded ? "-rotate-90" : ""}`} />
          <h2 className="shrink-0 text-xs font-semibold">{title}</h2>
          <span className="ml-2 truncate text-xs text-soft">{folded ? `${ids?.length ?? ""} folded` : note}</span>
        </button>
        {add}
      </header>
      {!folded && body}
      {!folded && empty && ids?.length === 0 && (
        <p className="border-b border-line/60 py-3 pl-6 pr-4 text-soft">{empty}</p>
      )}
    </section>
  );
}

interface AddProps {
  label: string;
  onAdd: (info?: KindInfo) => void;
  /** Which slot's kinds to choose from; without, there is only one thing to add. */
  slot?: string;
}

export function AddButton({ label, onAdd, slot }: AddProps) {
  const button = (
    <button
      type="button"
      aria-label={`Add ${label}`}
      data-add={slot && `${slot}s`}
      onClick={slot ? undefined : () => onAdd()}
      className="flex h-6 shrink-0 items-center gap-0.5 rounded px-1.5 text-xs text-soft hover:bg-raised hover:text-ice"
    >
      <Plus className="size-3.5" />
      {label}
    </button>
  );
  return slot ? (
    <KindPopover slot={slot} path={[`${slot}s`]} label={`Add ${label}`} onChoose={onAdd} trigger={button} />
  ) : (
    button
  );
}
