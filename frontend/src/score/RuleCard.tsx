/** A rule in the score: its sentence, for how many it holds and does not hold now and over time, and why where that is nobody. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Focus, Power } from "lucide-react";
import { useMemo, useState } from "react";
import { answered, api, type KindInfo } from "@/api/client";
import type { Node } from "@/state/document";
import { edit, useStudio, type Highlight } from "@/state/studio";
import { runAlone } from "@/state/trials";
import { Hint, type MenuEntry } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { Card } from "./cards";
import { Actions } from "./Actions";
import { RuleCondition } from "./Conditions";
import { ScoreContext, useScore, type Branch, type BranchCurves } from "./context";
import { AddKind } from "./KindPicker";
import { useNotes } from "./notes";
import { ChoiceChip, ManyChip } from "./references";
import { Spark } from "./Spark";

const INSTANTS = ["contact", "birth", "death"];

export function RuleCard({ rule, index, number, info }: { rule: Node; index: number; number: number; info: KindInfo }) {
  const score = useScore();
  const path = ["rules", index] as const;
  const off = rule.enabled === false;
  const id = String(rule.id);
  const field = (name: string) => info.fields.find((entry) => entry.name === name)!;
  const selected = useStudio((state) => state.selected?.[0] === "rules" && state.selected[1] === index);
  const solo = useStudio((state) => state.solo);
  const alone = solo.includes(id);
  const silent = off || (solo.length > 0 && !alone);
  const [asked, setAsked] = useState(false);
  const broken = useNotes().some(
    (note) => note.level === "error" && note.item[0] === "rules" && note.item[1] === index,
  );
  const branched = isBranched(rule.condition as Node | null);
  const explanation = useExplanation(String(rule.id), !silent && (asked || (selected && branched)));
  const branches = selected || asked ? (explanation?.branches ?? null) : null;
  const curves = useBranchCurves(String(rule.id), !silent && branched && (selected || asked));
  const surroundings = useMemo(
    () => ({ ...score, who: rule.who as string[], trigger: String(rule.trigger), branches, curves }),
    [score, rule.who, rule.trigger, branches, curves],
  );
  const actions = (rule.actions ?? []) as Node[];
  const otherwise = (rule.otherwise ?? []) as Node[];
  /** A rule that acts once or on a moment has no other branch, nor one that always holds. */
  const canFork = ["each", ...INSTANTS].includes(String(rule.trigger)) && !!rule.condition;
  const toggleAlone = () => runAlone(alone ? solo.filter((other) => other !== id) : [...solo, id]);
  const extra: MenuEntry[] = [
    {
      label: rule.waits ? "Let it act from birth" : "Let it wait to be switched on",
      onSelect: () => edit([...path, "waits"], !rule.waits),
    },
  ];
  const buttons = (
    <>
      <SmallButton label={alone ? "Run all rules again" : "Run this rule alone"} pressed={alone} onClick={toggleAlone}>
        <Focus className="size-3.5" />
      </SmallButton>
      <SmallButton
        label={off ? "Switch it on" : "Switch it off"}
        pressed={off}
        onClick={() => edit([...path, "enabled"], off)}
      >
        <Power className="size-3.5" />
      </SmallButton>
    </>
  );
  return (
    <ScoreContext.Provider value={surroundings}>
      <Card
        collection="rules"
        item={rule}
        index={index}
        info={info}
        off={silent}
        extra={extra}
        buttons={buttons}
        mark={<span className="tabular w-4 text-xs text-soft">{number}</span>}
        aside={
          silent ? null : broken ? (
            <span className="text-xs text-ember">left out</span>
          ) : (
            <Holds rule={rule} index={index} onWhy={() => setAsked(!asked)} asked={asked} />
          )
        }
      >
        <div className="pl-[22px]">
          <div>
            <ManyChip field={field("who")} value={rule.who as string[]} path={[...path, "who"]} />
            <span className="text-soft"> · </span>
            <ChoiceChip field={field("trigger")} value={String(rule.trigger)} path={[...path, "trigger"]} />{" "}
            <RuleCondition condition={rule.condition as Node | null} path={[...path, "condition"]} rule={id} />
            {rule.waits === true && (
              <button
                type="button"
                className="chip ml-1"
                onClick={() => edit([...path, "waits"], false)}
                title="Until an action switches it on for a particle. Click to let it act from birth."
              >
                waits until switched on
              </button>
            )}
          </div>
          <Actions actions={actions} path={[...path, "actions"]} />
          {/* On being chosen, not on hover or focus: nothing may move under the pointer. */}
          {(selected || actions.length === 0) && <AddKind slot="action" path={[...path, "actions"]} label="action" />}
          {otherwise.length > 0 && (
            <div className="flex justify-between text-soft">
              <span>otherwise</span>
              {!silent && <Fails rule={rule} index={index} />}
            </div>
          )}
          {(otherwise.length > 0 || (selected && canFork)) && (
            <Actions actions={otherwise} path={[...path, "otherwise"]} />
          )}
          {selected && canFork && <AddKind slot="action" path={[...path, "otherwise"]} label="otherwise" />}
          {asked && !silent && explanation && (
            <p
              role="status"
              data-testid="why-nobody"
              className="mt-1 border-l-2 border-brass/70 pl-2 text-xs leading-snug text-text/85"
            >
              {explanation.text || "It holds for somebody at this frame."}
            </p>
          )}
        </div>
      </Card>
    </ScoreContext.Provider>
  );
}

function SmallButton({
  label,
  pressed,
  onClick,
  children,
}: {
  label: string;
  pressed: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <Hint text={label}>
      <button
        type="button"
        aria-label={label}
        aria-pressed={pressed}
        onClick={(event) => {
          event.stopPropagation();
          onClick();
        }}
        className={`rounded p-[5px] hover:bg-raised hover:text-text ${pressed ? "text-brass" : "text-soft"}`}
      >
        {children}
      </button>
    </Hint>
  );
}

const isBranched = (condition: Node | null): boolean =>
  !!condition && (Array.isArray(condition.conditions) || !!condition.condition);

/** Counts for each condition of a rule, and words where it holds for nobody. */
function useExplanation(rule: string, wanted: boolean): { text: string; branches: Branch[] } | null {
  const trial = useStudio((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const playing = useStudio((state) => state.playing);
  const there = !!trial && frame < trial.computed;
  const found = useQuery({
    queryKey: ["explain", trial?.id, frame, rule, trial?.state],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/frames/{number}/rules/{rule}", {
          params: { path: { trial_id: trial!.id, number: frame, rule } },
        }),
      ),
    enabled: wanted && there && !playing,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return wanted ? (found.data ?? null) : null;
}

/** For how many each condition of a rule holds over time, once all frames are there. */
function useBranchCurves(rule: string, wanted: boolean): BranchCurves | null {
  const trial = useStudio((state) => state.trial);
  const found = useQuery({
    queryKey: ["curves", trial?.id, rule],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/rules/{rule}/curves", { params: { path: { trial_id: trial!.id, rule } } }),
      ),
    enabled: wanted && !!trial && trial.computed > 0 && trial.state !== "computing",
    placeholderData: keepPreviousData,
    retry: false,
  });
  return wanted ? (found.data ?? null) : null;
}

/** How many particles the rule holds for, of how many it looked at, and the same over time. */
function Holds({ rule, index, onWhy, asked }: { rule: Node; index: number; onWhy: () => void; asked: boolean }) {
  const frame = useStudio((state) => state.frame);
  const stats = useStudio((state) => state.stats);
  const now = stats[frame];
  const id = String(rule.id);
  const held = now?.held[id] ?? 0;
  const looked = now?.looked[id] ?? 0;
  const series = useMemo(() => stats.map((entry) => entry.held[id] ?? 0), [stats, id]);
  const label = String(rule.label || `rule ${index + 1}`);
  const instant = INSTANTS.includes(String(rule.trigger));
  const explain = instant
    ? `${count(held)} of ${count(looked)} ${rule.trigger === "contact" ? "contacts" : rule.trigger === "birth" ? "births" : "deaths"} in this frame`
    : `holds for ${count(held)} of ${count(looked)} at this frame`;
  return (
    <span className="flex shrink-0 items-start">
      {now && held === 0 && !instant && (
        <button
          type="button"
          aria-pressed={asked}
          aria-label={`Why does ${label} hold for nobody?`}
          onClick={(event) => (event.stopPropagation(), onWhy())}
          className={`rounded px-1 text-xs ${asked ? "text-brass" : "text-soft hover:text-brass"}`}
        >
          why?
        </button>
      )}
      <CountButton
        held={now ? held : null}
        looked={looked}
        series={series}
        label={label}
        explain={now ? explain : "not computed yet at this frame"}
        highlight={{
          label: `those that '${label}' holds for`,
          condition: rule.condition as Node | null,
          path: ["rules", index, "condition"],
          who: rule.who as string[],
          key: String(rule.id),
        }}
      />
    </span>
  );
}

/** For how many the rule does not hold: those whom its other branch concerns. */
function Fails({ rule, index }: { rule: Node; index: number }) {
  const frame = useStudio((state) => state.frame);
  const stats = useStudio((state) => state.stats);
  const id = String(rule.id);
  const series = useMemo(() => stats.map((entry) => (entry.looked[id] ?? 0) - (entry.held[id] ?? 0)), [stats, id]);
  const looked = stats[frame]?.looked[id] ?? 0;
  const label = String(rule.label || `rule ${index + 1}`);
  return (
    <CountButton
      held={series[frame] ?? null}
      looked={looked}
      series={series}
      label={`${label}, otherwise`}
      explain={`does not hold for ${count(series[frame] ?? 0)} of ${count(looked)} at this frame`}
      highlight={{
        label: `those that '${label}' does not hold for`,
        condition: rule.condition as Node | null,
        path: ["rules", index, "condition"],
        who: rule.who as string[],
        otherwise: true,
        key: `${String(rule.id)} otherwise`,
      }}
    />
  );
}

interface CountProps {
  /** Null where this frame is not computed yet. */
  held: number | null;
  looked: number;
  series: number[];
  label: string;
  explain: string;
  highlight: Omit<Highlight, "pinned">;
}

/** A count with its curve; resting on it rings those it counts, clicking keeps the rings. */
function CountButton({ held, looked, series, label, explain, highlight }: CountProps) {
  const frame = useStudio((state) => state.frame);
  const pinned = useStudio((state) => state.highlight?.pinned && state.highlight.key === highlight.key);
  const ring = (pin: boolean) => useStudio.setState({ highlight: { ...highlight, pinned: pin } });
  const unring = () => useStudio.setState({ highlight: null, highlighted: null });
  return (
    <Hint text={`${explain}. Click to ring them on the stage.`}>
      <button
        type="button"
        aria-label={`${label}: ${explain}`}
        aria-pressed={!!pinned}
        data-count={held ?? ""}
        onMouseEnter={() => !useStudio.getState().highlight?.pinned && ring(false)}
        onMouseLeave={() => !useStudio.getState().highlight?.pinned && unring()}
        onClick={(event) => {
          event.stopPropagation();
          if (pinned) unring();
          else ring(true);
        }}
        className={`flex shrink-0 items-center gap-2 rounded px-1 text-right text-xs ${pinned ? "bg-ice/20 text-ice" : "text-soft hover:text-text"}`}
      >
        <Spark values={series} at={frame} />
        <span className="tabular">
          {held === null ? (
            "…"
          ) : (
            <>
              <span className={held ? "text-text" : ""}>{count(held)}</span> of {count(looked)}
            </>
          )}
        </span>
      </button>
    </Hint>
  );
}
