/** A map of the score at its edge: a mark for each item, in the colour of its group; those in view are brighter. A click goes there. */

import { useEffect, useMemo, useState, type RefObject } from "react";
import { turnTo } from "@/state/adding";
import { listOf, nameOf, wordFor, type Effect } from "@/state/document";
import { usePreferences, useSession, useStudio } from "@/state/use";
import { partOf } from "./numbering";

interface Mark {
  key: string;
  collection: string;
  index: number;
  name: string;
  color: string | null;
}

const ORDER = [
  "shapes",
  "fields",
  "dials",
  "groups",
  "neighbourhoods",
  "attributes",
  "sources",
  "rules",
  "looks",
] as const;

function colorOf(effect: Effect, collection: string, index: number): string | null {
  const group = (id: string | undefined) => effect.groups.find((entry) => entry.id === id)?.color ?? null;
  if (collection === "groups") return effect.groups[index]?.color ?? null;
  if (collection === "neighbourhoods") return group(effect.neighbourhoods[index]?.who[0]);
  if (collection === "sources") return group(effect.sources[index]?.group);
  if (collection === "rules") return group(effect.rules[index]?.who[0]);
  if (collection === "looks") return group(effect.looks[index]?.who[0]);
  return null;
}

export function ScoreMap({ list }: { list: RefObject<HTMLDivElement | null> }) {
  const session = useSession();
  const effect = useStudio((state) => state.committed);
  const catalogue = useStudio((state) => state.catalogue);
  const folded = usePreferences((state) => state.folded);
  const [inView, setInView] = useState<ReadonlySet<string>>(new Set());
  const parts = useMemo(
    () =>
      ORDER.map((collection) => {
        const marks = listOf(effect, collection).map((item, index): Mark => {
          const name = nameOf(item, wordFor(catalogue, collection), index);
          const key = `${collection}/${String(item.id)}`;
          return { key, collection, index, name, color: colorOf(effect, collection, index) };
        });
        // Rules stand in the order of the step.
        const place = (mark: Mark) => partOf(effect.rules[mark.index]!, catalogue);
        return collection === "rules" ? [...marks].sort((a, b) => place(a) - place(b)) : marks;
      }).filter((marks) => marks.length > 0),
    [effect, catalogue],
  );
  useEffect(() => {
    const root = list.current;
    if (!root) return;
    const seen = new Set<string>();
    const observer = new IntersectionObserver(
      (entries) => {
        for (const { target, isIntersecting } of entries) {
          const key = target.getAttribute("data-item") ?? "";
          if (isIntersecting) seen.add(key);
          else seen.delete(key);
        }
        setInView(new Set(seen));
      },
      { root },
    );
    root.querySelectorAll("[data-item]").forEach((card) => observer.observe(card));
    return () => observer.disconnect();
  }, [list, parts, folded]);
  return (
    <nav
      aria-label="Map of the score"
      className="flex w-6 shrink-0 flex-col gap-2 overflow-hidden border-l border-line/50 py-2"
    >
      {parts.map((marks, part) => (
        <ul key={part} className="flex min-h-0 flex-col">
          {marks.map((mark) => (
            <li key={mark.key} className="min-h-0">
              <button
                type="button"
                tabIndex={-1}
                aria-label={`Go to ${mark.name}`}
                title={mark.name}
                onClick={() => turnTo(session, mark.collection, mark.index, "center")}
                className="group/mark flex h-3 w-6 items-center justify-center"
              >
                <span
                  className={`block h-1 rounded-sm group-hover/mark:h-2 ${inView.has(mark.key) ? "w-4" : "w-2.5 opacity-50"}`}
                  style={{ background: mark.color ?? "var(--soft)" }}
                />
              </button>
            </li>
          ))}
        </ul>
      ))}
    </nav>
  );
}
