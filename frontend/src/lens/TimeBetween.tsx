/** How long it took from one thing to another, for all particles that did both: how long after the touch did each stop? */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api, type Catalogue } from "@/api/client";
import { ruleName } from "@/score/numbering";
import type { Effect } from "@/state/document";
import { Menu } from "@/ui/controls";
import { count, short } from "@/ui/numbers";
import { useRun, useSession, useStudio } from "@/state/use";

const WIDTH = 286;
const HEIGHT = 56;

interface Choice {
  what: string;
  label: string;
  heading: string;
}

/** Everything that happens to particles of this effect, in words. */
function choicesOf(effect: Effect, catalogue: Catalogue): Choice[] {
  const of = (what: string, heading: string, items: { id: string; label: string }[]) =>
    items.map(({ id, label }) => ({ what: `${what}:${id}`, label, heading }));
  const named = (list: readonly { id: string; label: string }[]) =>
    list.map((item) => ({ id: String(item.id), label: String(item.label) }));
  const rules = effect.rules.map((rule, index) => ({
    id: String(rule.id),
    label: ruleName(effect.rules, index, catalogue),
  }));
  return [
    { what: "birth", label: "its birth", heading: "Life" },
    { what: "death", label: "its leaving", heading: "Life" },
    { what: "contact", label: "touching anything", heading: "Touching" },
    ...of(
      "contact",
      "Touching",
      named(effect.shapes).map(({ id, label }) => ({ id, label: `touching ${label}` })),
    ),
    ...of(
      "group",
      "Coming into a group",
      named(effect.groups).map(({ id, label }) => ({ id, label: `coming into ${label}` })),
    ),
    ...of(
      "rule",
      "A rule begins to hold",
      rules.map(({ id, label }) => ({ id, label: `${label} begins` })),
    ),
    ...of(
      "rule_end",
      "A rule holds no longer",
      rules.map(({ id, label }) => ({ id, label: `${label} ends` })),
    ),
  ];
}

export function TimeBetween({ effect }: { effect: Effect }) {
  const session = useSession();
  const trial = useRun((state) => state.trial);
  const catalogue = useStudio((state) => state.catalogue);
  const [start, setStart] = useState("birth");
  const [end, setEnd] = useState("death");
  const choices = choicesOf(effect, catalogue);
  const known = (what: string) => (choices.some((choice) => choice.what === what) ? what : "birth");
  const nameOf = (what: string) => choices.find((choice) => choice.what === known(what))?.label ?? "";
  const found = useQuery({
    queryKey: ["between", trial?.id, known(start), known(end), trial?.state],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/between", {
          params: { path: { trial_id: trial!.id }, query: { start: known(start), end: known(end) } },
        }),
      ),
    enabled: !!trial && trial.computed > 0 && trial.state !== "computing",
    placeholderData: keepPreviousData,
    retry: false,
  });
  const picker = (label: string, value: string, set: (what: string) => void) => (
    <Menu
      trigger={
        <button type="button" className="chip" aria-label={`${label}: ${nameOf(value)}`}>
          {nameOf(value)}
        </button>
      }
      entries={choices.map((choice) => ({
        label: choice.label,
        heading: choice.heading,
        hint: choice.what === value ? "now" : "",
        onSelect: () => set(choice.what),
      }))}
    />
  );
  const told = found.data;
  const most = Math.max(1, ...(told?.counts ?? []));
  return (
    <section aria-label="Time between">
      <h3 className="mb-1 font-medium">Time between</h3>
      <p className="mb-2 leading-relaxed">
        From {picker("From", start, setStart)} to {picker("To", end, setEnd)}
      </p>
      {!told ? (
        <p className="text-xs text-soft">
          {found.isError ? (found.error as Error).message : "Told when all frames are computed."}
        </p>
      ) : told.number === 0 ? (
        <p className="text-xs text-soft">No particle has done both, one after the other.</p>
      ) : (
        <>
          <svg
            viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
            className="w-full rounded bg-stage"
            role="img"
            aria-label={`${told.number} times, from ${short(told.low)} to ${short(told.high)} s`}
          >
            {told.counts.map((number, index) => {
              const wide = WIDTH / told.counts.length;
              const tall = number ? Math.max(2, (number / most) * (HEIGHT - 6)) : 0;
              return (
                <rect
                  key={index}
                  x={index * wide}
                  y={HEIGHT - tall}
                  width={Math.max(1, wide - 1)}
                  height={tall}
                  fill="var(--ice)"
                />
              );
            })}
          </svg>
          <p className="tabular mt-1 flex justify-between text-xs text-soft">
            <span>{short(told.edges[0]!)} s</span>
            <span>on average {short(told.mean)} s</span>
            <span>{short(told.edges.at(-1)!)} s</span>
          </p>
          <p className="mt-1 text-xs text-soft">
            <b className="tabular font-medium text-text">{count(told.number)}</b>{" "}
            {told.number === 1 ? "particle" : "particles"} did both.
          </p>
          <ol
            className="mt-2 max-h-52 overflow-y-auto border-t border-line/60"
            aria-label="Each particle, the quickest first"
          >
            {told.rows.map((row) => {
              const [particle, from, to, seconds] = row as [number, number, number, number];
              return (
                <li key={particle} className="flex min-h-6 items-center gap-2 border-b border-line/40 text-[12px]">
                  <button
                    type="button"
                    className="tabular h-6 w-14 text-left hover:text-ice"
                    onClick={() => session.set({ particle, lens: "probe", lensOpen: true })}
                  >
                    {count(particle)}
                  </button>
                  <span className="tabular flex-1 text-soft">
                    frame <Go frame={from} /> to <Go frame={to} />
                  </span>
                  <span className="tabular">{short(seconds)} s</span>
                </li>
              );
            })}
          </ol>
          {told.number > told.rows.length && (
            <p className="mt-1 text-xs text-soft">The {count(told.rows.length)} quickest are listed.</p>
          )}
        </>
      )}
    </section>
  );
}

function Go({ frame }: { frame: number }) {
  const session = useSession();
  return (
    <button type="button" className="h-6 min-w-6 text-brass hover:underline" onClick={() => session.seek(frame)}>
      {frame}
    </button>
  );
}
