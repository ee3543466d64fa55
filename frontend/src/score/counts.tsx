/** For how many a rule holds, and for how many it does not: numbers that change from frame to frame while all around them stays. */

import { memo, useMemo } from "react";
import type { Rule } from "@/state/document";
import type { Highlight } from "@/state/session";
import { useNow, useRun, useSession, useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { isInstant } from "./explaining";
import { Spark } from "./Spark";
import { cx } from "@/ui/cx";

const CURVE = 70;

export function HoldsSpark({ id }: { id: string }) {
  const stats = useRun((state) => state.stats);
  const series = useMemo(() => stats.map((entry) => entry.held[id] ?? 0), [stats, id]);
  return <Spark values={series} width={CURVE} />;
}

interface HoldsProps {
  rule: Rule;
  index: number;
  onWhy: () => void;
  asked: boolean;
}

const NOUNS: Partial<Record<Rule["trigger"], string>> = { contact: "contacts", birth: "births", death: "deaths" };

/** How many particles the rule holds for, of how many it looked at. */
export function HoldsCount({ rule, index, onWhy, asked }: HoldsProps) {
  const { id, trigger, condition, who } = rule;
  const label = rule.label || `rule ${index + 1}`;
  const nobody = useNow((now) => !!now && now.count > 0 && (now.held[id] ?? 0) === 0) && !isInstant(trigger);
  const what = NOUNS[trigger];
  return (
    <span className="flex shrink-0 items-center">
      {nobody && (
        <button
          type="button"
          aria-pressed={asked}
          aria-label={`Why does ${label} hold for nobody?`}
          onClick={(event) => (event.stopPropagation(), onWhy())}
          className={`h-6 rounded px-1 text-xs ${asked ? "text-brass" : "text-soft hover:text-brass"}`}
        >
          why?
        </button>
      )}
      <CountButton
        id={id}
        label={`${label}: ${what ? `${what} that it acts on` : "for how many it holds"} at this frame`}
        highlight={{
          label: `those that '${label}' holds for`,
          condition,
          path: ["rules", index, "condition"],
          who,
          key: id,
        }}
      />
    </span>
  );
}

/** For how many the rule does not hold: those whom its other branch concerns. */
export function FailsCount({ rule, index }: { rule: Rule; index: number }) {
  const { id, condition, who } = rule;
  const stats = useRun((state) => state.stats);
  const series = useMemo(() => stats.map((entry) => (entry.looked[id] ?? 0) - (entry.held[id] ?? 0)), [stats, id]);
  const label = rule.label || `rule ${index + 1}`;
  return (
    <span className="flex items-center gap-1">
      <Spark values={series} />
      <CountButton
        id={id}
        otherwise
        label={`${label}, otherwise: for how many it does not hold at this frame`}
        highlight={{
          label: `those that '${label}' does not hold for`,
          condition,
          path: ["rules", index, "condition"],
          who,
          otherwise: true,
          key: `${id} otherwise`,
        }}
      />
    </span>
  );
}

interface CountProps {
  id: string;
  otherwise?: boolean;
  label: string;
  highlight: Omit<Highlight, "pinned">;
}

/** A count; resting on it rings those it counts, clicking keeps the rings. */
function CountButton({ id, otherwise = false, label, highlight }: CountProps) {
  const session = useSession();
  const pinned = useStudio((state) => state.highlight?.pinned === true && state.highlight.key === highlight.key);
  const ring = (pin: boolean) => session.set({ highlight: { ...highlight, pinned: pin } });
  const unring = () => session.set({ highlight: null, highlighted: null });
  return (
    <Hint text={`${label}. Click to ring them on the stage.`}>
      <button
        type="button"
        aria-pressed={pinned}
        onMouseEnter={() => !session.state.highlight?.pinned && ring(false)}
        onMouseLeave={() => !session.state.highlight?.pinned && unring()}
        onClick={(event) => {
          event.stopPropagation();
          if (pinned) unring();
          else ring(true);
        }}
        className={cx(
          "flex h-6 shrink-0 items-center rounded px-1 text-right text-xs",
          `${pinned ? "bg-ice/20 text-ice" : "text-soft hover:text-text"}`,
        )}
      >
        <span className="sr-only">{label}: </span>
        <Numbers id={id} otherwise={otherwise} />
      </button>
    </Hint>
  );
}

const Numbers = memo(function Numbers({ id, otherwise }: { id: string; otherwise: boolean }) {
  const held = useNow((now) => (now ? (now.held[id] ?? 0) : -1));
  const looked = useNow((now) => now?.looked[id] ?? 0);
  if (held < 0) return <span data-count="">…</span>;
  const shown = otherwise ? looked - held : held;
  return (
    <span className="tabular whitespace-nowrap" data-count={shown}>
      <span className={shown ? "text-text" : ""}>{count(shown)}</span> of {count(looked)}
    </span>
  );
});
