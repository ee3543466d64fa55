/** Where the time of a step goes: by its parts, and by what the artist has written. */

import { useMemo, useState } from "react";
import type { Catalogue } from "@/api/client";
import { percent } from "@/score/CostMark";
import { ruleName } from "@/score/numbering";
import { turnTo } from "@/state/adding";
import { useCosts, type Costs as Told } from "@/state/costs";
import { listOf, nameOf, wordFor, type Collection, type Effect } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { count, short } from "@/ui/numbers";

/** What is left of each part when the items in it are told apart. */
const RESTS: Record<string, string> = {
  birth: "births, besides",
  pushes: "adding up pushes",
  "motion and contact": "moving and touching",
  changes: "changes, besides",
  leaving: "leaving",
  record: "recording frames",
};

/** Whose items are charged with what they take. */
const CHARGED: readonly Collection[] = ["rules", "neighbourhoods", "fields", "sources"];

/** The parts of a step as they are read. */
const PARTS: Record<string, string> = {
  birth: "births",
  pushes: "pushes",
  "motion and contact": "motion and contact",
  changes: "changes",
  leaving: "leaving",
  record: "recording",
};

interface Line {
  name: string;
  seconds: number;
  item: { collection: Collection; index: number } | null;
}

export function Costs({ effect }: { effect: Effect }) {
  const session = useSession();
  const catalogue = useStudio((state) => state.catalogue);
  const beside = useStudio((state) => state.costs);
  const costs = useCosts();
  const lines = useMemo(() => (costs ? linesOf(costs, effect, catalogue) : []), [costs, effect, catalogue]);
  const rate = effect.clock.frames_per_second * effect.clock.steps_per_frame;
  return (
    <section aria-labelledby="where-the-time-goes">
      <div className="flex items-baseline justify-between gap-2">
        <h3 id="where-the-time-goes" className="font-medium">
          Where the time goes
        </h3>
        <button
          type="button"
          aria-pressed={beside}
          onClick={() => session.set({ costs: !beside })}
          className={`rounded px-1 py-0.5 text-xs ${beside ? "text-brass" : "text-soft hover:text-ice"}`}
        >
          beside the items
        </button>
      </div>
      {!costs || !costs.steps ? (
        <p className="text-xs text-soft">
          Told when steps have been computed: a run that was taken over as it stands has taken none.
        </p>
      ) : (
        <>
          <p className="mb-2 text-xs text-soft">
            A step takes <span className="tabular text-text">{short((1000 * costs.seconds) / costs.steps)} ms</span>, on
            average over {count(costs.steps)}: {pace(costs.seconds / costs.steps, rate)}.
          </p>
          <Parts costs={costs} />
          <ul className="text-[12.5px]" aria-label="What takes how much of a step">
            {lines.map((line) => {
              const share = line.seconds / costs.seconds;
              return (
                <li key={line.name} className="relative flex min-h-6 items-center gap-2">
                  <span
                    aria-hidden
                    className={`absolute inset-y-0.5 left-0 rounded-sm ${line.item ? "bg-brass/25" : "bg-line/50"}`}
                    style={{ width: `${share * 100}%` }}
                  />
                  {line.item ? (
                    <button
                      type="button"
                      className="relative h-6 min-w-0 flex-1 truncate pl-1 text-left hover:text-ice"
                      onClick={() => turnTo(session, line.item!.collection, line.item!.index, "center")}
                    >
                      {line.name}
                    </button>
                  ) : (
                    <span className="relative min-w-0 flex-1 truncate pl-1 text-soft">{line.name}</span>
                  )}
                  <span className="tabular relative text-xs text-soft">
                    {short((1000 * line.seconds) / costs.steps)} ms
                  </span>
                  <span className="tabular relative w-10 text-right">{percent(share)}</span>
                </li>
              );
            })}
          </ul>
          <Drawn costs={costs} effect={effect} />
        </>
      )}
    </section>
  );
}

/** The parts of a step in their order, each as wide as it takes long. */
function Parts({ costs }: { costs: Told }) {
  const [over, setOver] = useState<string | null>(null);
  const parts = Object.entries(costs.parts).filter(([, seconds]) => seconds > 0);
  const told = over ?? parts.reduce((most, part) => (part[1] > most[1] ? part : most))[0];
  const words = (part: string) => `${PARTS[part] ?? part} ${percent(costs.parts[part]! / costs.seconds)}`;
  return (
    <div className="mb-2" onPointerLeave={() => setOver(null)}>
      <div
        className="flex h-3 gap-px overflow-hidden rounded"
        role="img"
        aria-label={parts.map(([part]) => words(part)).join(", ")}
      >
        {parts.map(([part, seconds]) => (
          <span
            key={part}
            className={part === told ? "bg-brass" : "bg-brass/35"}
            style={{ width: `${(seconds / costs.seconds) * 100}%`, minWidth: 2 }}
            onPointerEnter={() => setOver(part)}
          />
        ))}
      </div>
      <p className="tabular mt-0.5 text-xs text-soft">{words(told)}</p>
    </div>
  );
}

/** How the pace of computing compares with that of the effect. */
function pace(step: number, rate: number): string {
  const times = 1 / (step * rate);
  return times >= 1 ? `${short(times)} times as fast as it plays` : `${short(1 / times)} times slower than it plays`;
}

/** Looks are drawn for the picture, not within a step. */
function Drawn({ costs, effect }: { costs: Told; effect: Effect }) {
  const session = useSession();
  const catalogue = useStudio((state) => state.catalogue);
  const looks = effect.looks.flatMap((look, index) => {
    const seconds = costs.looks[`looks/${look.id}`];
    const name = nameOf(look, wordFor(catalogue, "looks"), index);
    return seconds === undefined ? [] : [{ name, seconds, index }];
  });
  if (!looks.length) return null;
  return (
    <>
      <p className="mb-0.5 mt-2 text-xs text-soft">Besides, for each picture:</p>
      <ul className="text-[12.5px]" aria-label="What takes how long in a picture">
        {looks.map(({ name, seconds, index }) => (
          <li key={index} className="flex min-h-6 items-center gap-2">
            <button
              type="button"
              className="h-6 min-w-0 flex-1 truncate pl-1 text-left hover:text-ice"
              onClick={() => turnTo(session, "looks", index, "center")}
            >
              {name}
            </button>
            <span className="tabular text-xs text-soft">{short(1000 * seconds)} ms</span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** All that takes a part of a step, the most expensive first; together they are all of it. */
function linesOf(costs: Told, effect: Effect, catalogue: Catalogue): Line[] {
  const lines: Line[] = [];
  let gone = 0;
  for (const [address, seconds] of Object.entries(costs.items)) {
    const [owner, id] = address.split("/");
    const collection = CHARGED.find((name) => name === owner);
    const list = collection ? listOf(effect, collection) : [];
    const index = list.findIndex((item) => String(item.id) === id);
    if (!collection || index < 0) {
      gone += seconds;
      continue;
    }
    const name =
      collection === "rules"
        ? `rule ${ruleName(effect.rules, index, catalogue)}`
        : nameOf(list[index]!, wordFor(catalogue, collection), index);
    lines.push({ name, seconds, item: { collection, index } });
  }
  for (const [part, seconds] of Object.entries(costs.rest)) {
    if (seconds > 0) lines.push({ name: RESTS[part] ?? part, seconds, item: null });
  }
  if (gone > 0) lines.push({ name: "what is no longer there", seconds: gone, item: null });
  return lines.sort((a, b) => b.seconds - a.seconds);
}
