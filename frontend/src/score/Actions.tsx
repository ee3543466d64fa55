/** A list of actions, one line each: dragged by the arrow before it, exchanged by its words. */

import { useDroppable } from "@dnd-kit/core";
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { X } from "lucide-react";
import { kindOf, type Node, type Path } from "@/state/document";
import { useScore } from "./context";
import { deedId, listId } from "./dragging";
import { Handings } from "./Handings";
import { Exchangeable } from "./KindPicker";
import { NotesAt } from "./notes";
import { Sentence } from "./Sentence";
import { Urges } from "./Urges";
import { useSession } from "@/state/use";
import { cx } from "@/ui/cx";

const PUSHES = "On the way: asked at the start of the step, it acts on the motion. Drag to move it.";
const CHANGES = "At the end of the step, after motion: asked where everybody is then. Drag to move it.";

export function Actions({ actions, path }: { actions: Node[]; path: Path }) {
  const { setNodeRef } = useDroppable({ id: listId(path) });
  return (
    <div ref={setNodeRef}>
      <SortableContext items={actions.map((_, index) => deedId(path, index))} strategy={verticalListSortingStrategy}>
        {actions.map((action, index) => (
          <Deed key={index} action={action} actions={actions} index={index} path={path} />
        ))}
      </SortableContext>
    </div>
  );
}

function Deed({ action, actions, index, path }: { action: Node; actions: Node[]; index: number; path: Path }) {
  const session = useSession();
  const { catalogue } = useScore();
  const info = kindOf(catalogue, "action", action.kind);
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id: deedId(path, index),
  });
  if (!info) return null;
  const inner = [...path, index];
  const change = info.phase === "change";
  return (
    <div
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-deed={inner.join("/")}
      className={`group/action relative min-h-6 leading-6 pl-5 pr-6 ${isDragging ? "z-10 rounded bg-raised shadow-lg" : ""}`}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        title={change ? CHANGES : PUSHES}
        aria-label={`Move: ${info.title}`}
        className="absolute -left-1.5 -top-px grid size-6 cursor-grab touch-none place-items-center text-soft hover:text-ice"
        {...attributes}
        {...listeners}
      >
        {change ? "→" : "↝"}
      </button>
      <Sentence
        info={info}
        node={action}
        path={inner}
        wrapOnce
        wrapWords={(text) => (
          <Exchangeable slot="action" path={inner} label="What it does" text={text} present={info.kind} />
        )}
      />
      <NotesAt path={inner} />
      {Array.isArray(action.urges) && (
        <Urges urges={action.urges as Node[]} path={[...inner, "urges"]} ordered={action.sharing !== "in_proportion"} />
      )}
      {Array.isArray(action.hands) && <Handings hands={action.hands as Node[]} path={[...inner, "hands"]} />}
      <button
        type="button"
        aria-label={`Remove: ${info.title}`}
        onClick={() =>
          session.edit(
            path,
            actions.filter((_, other) => other !== index),
          )
        }
        className={cx(
          "absolute right-0 top-0 rounded p-1.5 text-soft opacity-0 hover:bg-raised",
          "hover:text-ember focus-visible:opacity-100 group-hover/action:opacity-100",
        )}
      >
        <X className="size-3" />
      </button>
    </div>
  );
}
