/** Who is who: groups with their colours and numbers, over the strip that shows them; click to leave one out, or to see one alone. */

import { Palette } from "lucide-react";
import type { Group } from "@/state/document";
import { useNow, useSession, useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { cx } from "@/ui/cx";

const MOST = 10;

export function Legend() {
  const session = useSession();
  const groups = useStudio((state) => state.document.groups);
  const hidden = useStudio((state) => state.hidden);
  const byGroup = useStudio((state) => state.byGroup);
  const only = (id: string) => {
    const ids = groups.map((group) => group.id);
    const alone = hidden.length === ids.length - 1 && !hidden.includes(id);
    session.set({ hidden: alone ? [] : ids.filter((other) => other !== id) });
  };
  const toggle = (id: string) =>
    session.set({ hidden: hidden.includes(id) ? hidden.filter((other) => other !== id) : [...hidden, id] });
  return (
    <div
      role="group"
      aria-label="Groups on the stage"
      className={cx(
        "absolute bottom-2 left-2 flex max-w-[calc(100%-170px-var(--lens))] flex-wrap items-center",
        "rounded bg-stage/70 px-1 text-xs text-soft",
      )}
    >
      {groups.slice(0, MOST).map((group) => (
        <Entry
          key={group.id}
          group={group}
          out={hidden.includes(group.id)}
          onToggle={() => toggle(group.id)}
          onAlone={groups.length > 1 ? () => only(group.id) : undefined}
        />
      ))}
      {groups.length > MOST && <span className="px-1.5">and {groups.length - MOST} more</span>}
      {groups.length !== 1 && <All />}
      {groups.length > 1 && (
        <Hint
          text={
            byGroup
              ? "Everybody is drawn in the colour of their group. Click for their own looks (B)."
              : "Draw everybody in the colour of their group (B)"
          }
        >
          <button
            type="button"
            aria-pressed={byGroup}
            onClick={() => session.set({ byGroup: !byGroup })}
            className={`flex h-6 items-center gap-1.5 rounded px-1.5 ${byGroup ? "bg-ice/15 text-ice" : "hover:text-text"}`}
          >
            <Palette className="size-3" /> by group
          </button>
        </Hint>
      )}
    </div>
  );
}

interface EntryProps {
  group: Group;
  out: boolean;
  onToggle: () => void;
  onAlone?: () => void;
}

function Entry({ group, out, onToggle, onAlone }: EntryProps) {
  const ring = `inset 0 0 0 1px ${group.color}`;
  return (
    <span className="flex items-center">
      <button
        type="button"
        aria-label={`Only ${group.label}`}
        title={onAlone ? `See ${group.label} alone` : group.label}
        disabled={!onAlone}
        onClick={onAlone}
        className="grid size-6 place-items-center"
      >
        <span
          className="size-2.5 rounded-full"
          style={{ background: out ? "transparent" : group.color, boxShadow: ring }}
        />
      </button>
      <button
        type="button"
        aria-pressed={!out}
        title={out ? "Draw it again" : "Leave it out of the picture"}
        onClick={onToggle}
        className={`flex h-6 items-center gap-1.5 rounded pr-1.5 hover:text-text ${out ? "line-through opacity-60" : ""}`}
      >
        <span className="max-w-32 truncate">{group.label}</span>
        <Population id={group.id} />
      </button>
    </span>
  );
}

function Population({ id }: { id: string }) {
  const number = useNow((now) => (now ? (now.population[id] ?? 0) : null));
  return (
    <span className="tabular min-w-8 text-right text-text" data-population={number ?? ""}>
      {number === null ? "…" : count(number)}
    </span>
  );
}

function All() {
  const number = useNow((now) => now?.count ?? null);
  return <span className="tabular px-1.5">{number === null ? "" : `${count(number)} in all`}</span>;
}
