/** Who is who on the stage: groups with their colours and numbers; click to leave one out, or to see one alone. */

import { Palette } from "lucide-react";
import { useStudio } from "@/state/studio";
import { Hint } from "@/ui/controls";
import { count } from "@/ui/numbers";

const MOST = 8;

export function Legend() {
  const groups = useStudio((state) => state.document?.groups) ?? [];
  const hidden = useStudio((state) => state.hidden);
  const byGroup = useStudio((state) => state.byGroup);
  const population = useStudio((state) => state.stats[state.frame]?.population);
  if (groups.length < 2) return null;
  const ids = groups.map((group) => String(group.id));
  const only = (id: string) => {
    const alone = hidden.length === ids.length - 1 && !hidden.includes(id);
    useStudio.setState({ hidden: alone ? [] : ids.filter((other) => other !== id) });
  };
  return (
    <div role="group" aria-label="Groups on the stage" className="pointer-events-auto -mx-1 pb-1">
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
          onClick={() => useStudio.setState({ byGroup: !byGroup })}
          className={`flex h-6 items-center gap-1.5 rounded px-1 ${byGroup ? "bg-ice/15 text-ice" : "hover:text-text"}`}
        >
          <Palette className="size-3" /> by group
        </button>
      </Hint>
      <ul>
        {groups.slice(0, MOST).map((group) => {
          const id = String(group.id);
          const out = hidden.includes(id);
          return (
            <li key={id} className="group/legend flex items-center">
              <button
                type="button"
                aria-pressed={!out}
                title={out ? "Draw it again" : "Leave it out of the picture"}
                onClick={() =>
                  useStudio.setState({ hidden: out ? hidden.filter((other) => other !== id) : [...hidden, id] })
                }
                className={`flex min-w-0 flex-1 items-center gap-1.5 rounded px-1 leading-6 hover:text-text ${out ? "line-through opacity-60" : ""}`}
              >
                <span
                  className="size-2 shrink-0 rounded-full"
                  style={{
                    background: out ? "transparent" : String(group.color),
                    boxShadow: `inset 0 0 0 1px ${String(group.color)}`,
                  }}
                />
                <span className="max-w-32 truncate">{String(group.label)}</span>
                <span className="tabular ml-auto pl-3">{population ? count(population[id] ?? 0) : ""}</span>
              </button>
              <button
                type="button"
                aria-label={`Only ${String(group.label)}`}
                title="See it alone"
                onClick={() => only(id)}
                className="ml-1 h-6 rounded px-1 opacity-0 hover:text-ice focus-visible:opacity-100 group-hover/legend:opacity-100"
              >
                only
              </button>
            </li>
          );
        })}
        {groups.length > MOST && <li className="px-1">and {groups.length - MOST} more</li>}
      </ul>
    </div>
  );
}
