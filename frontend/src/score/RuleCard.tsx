/** A rule in the score: its sentence, for how many it holds and does not hold, and why where that is nobody. */

import { Focus, Power } from "lucide-react";
import { memo, useMemo, useState } from "react";
import type { KindInfo } from "@/api/client";
import { useNotesUnder } from "@/state/advisories";
import type { Rule } from "@/state/document";
import { givesBirth } from "@/state/forecast";
import { useSession, useStudio } from "@/state/use";
import { Hint, type MenuEntry } from "@/ui/controls";
import { Actions } from "./Actions";
import { Card } from "./cards";
import { RuleCondition } from "./Conditions";
import { RuleContext, useExplained } from "./context";
import { FailsCount, HoldsCount, HoldsSpark } from "./counts";
import { ForecastLine } from "./ForecastLine";
import { ExplainedFrom } from "./ExplainedFrom";
import { isInstant } from "./explaining";
import { AddKind } from "./KindPicker";
import { ChoiceChip, ManyChip } from "./references";

interface Props {
  rule: Rule;
  index: number;
  number: number;
  info: KindInfo;
}

const isBranched = (condition: Rule["condition"]): boolean =>
  condition !== null && ("conditions" in condition || "condition" in condition);

export const RuleCard = memo(function RuleCard({ rule, index, number, info }: Props) {
  const session = useSession();
  const path = ["rules", index] as const;
  const { id, who, trigger, condition, actions, otherwise } = rule;
  const off = !rule.enabled;
  const field = (name: string) => info.fields.find((entry) => entry.name === name)!;
  const selected = useStudio((state) => state.selected?.[0] === "rules" && state.selected[1] === index);
  const alone = useStudio((state) => state.solo.includes(id));
  const silent = useStudio((state) => off || (state.solo.length > 0 && !state.solo.includes(id)));
  const [asked, setAsked] = useState(false);
  const broken = useNotesUnder(path).some((note) => note.level === "error");
  const branched = isBranched(condition);
  const around = useMemo(() => ({ who, trigger, selected }), [who, trigger, selected]);
  const owner = useMemo(() => ({ rule: id }), [id]);
  /** A rule that acts once or on a moment has no other branch, nor one that always holds. */
  const canFork = (trigger === "each" || isInstant(trigger)) && condition !== null;
  const toggleAlone = () => {
    const { solo } = session.state;
    session.runAlone(alone ? solo.filter((other) => other !== id) : [...solo, id]);
  };
  const extra: MenuEntry[] = [
    {
      label: rule.waits ? "Let it act from birth" : "Let it wait to be switched on",
      onSelect: () => session.edit([...path, "waits"], !rule.waits),
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
        onClick={() => session.edit([...path, "enabled"], off)}
      >
        <Power className="size-3.5" />
      </SmallButton>
    </>
  );
  return (
    <RuleContext value={around}>
      <ExplainedFrom owner={owner} wanted={!silent && asked} curved={!silent && branched && (selected || asked)}>
        <Card
          collection="rules"
          item={rule}
          index={index}
          info={info}
          off={silent}
          extra={extra}
          buttons={buttons}
          mark={<span className="tabular mr-1.5 text-xs text-soft">{number}</span>}
          behind={!silent && !broken && <HoldsSpark id={id} />}
          aside={
            silent ? null : broken ? (
              <span className="ml-1 text-xs text-ember">left out</span>
            ) : (
              <HoldsCount rule={rule} index={index} onWhy={() => setAsked(!asked)} asked={asked} />
            )
          }
          below={
            <div>
              <Actions actions={actions} path={[...path, "actions"]} />
              {/* On being chosen, not on hover or focus: nothing may move under the pointer. */}
              {(selected || actions.length === 0) && (
                <AddKind slot="action" path={[...path, "actions"]} label="action" />
              )}
              {otherwise.length > 0 && (
                <div className="flex justify-between text-soft">
                  <span>otherwise</span>
                  {!silent && <FailsCount rule={rule} index={index} />}
                </div>
              )}
              {(otherwise.length > 0 || (selected && canFork)) && (
                <Actions actions={otherwise} path={[...path, "otherwise"]} />
              )}
              {selected && canFork && <AddKind slot="action" path={[...path, "otherwise"]} label="otherwise" />}
              {!silent && givesBirth(rule) && <ForecastLine />}
              {asked && !silent && <Why />}
            </div>
          }
        >
          <ManyChip field={field("who")} value={who} path={[...path, "who"]} />
          <span className="text-soft"> · </span>
          <ChoiceChip field={field("trigger")} value={trigger} path={[...path, "trigger"]} />{" "}
          <RuleCondition condition={condition} path={[...path, "condition"]} rule={id} />
          {rule.waits && (
            <button
              type="button"
              className="chip ml-1"
              onClick={() => session.edit([...path, "waits"], false)}
              title="Until an action switches it on for a particle. Click to let it act from birth."
            >
              waits until switched on
            </button>
          )}
        </Card>
      </ExplainedFrom>
    </RuleContext>
  );
});

function Why() {
  const { text } = useExplained();
  if (text === null) return null;
  return (
    <p
      role="status"
      data-testid="why-nobody"
      className="mt-1 border-l-2 border-brass/70 pl-2 text-xs leading-snug text-text/85"
    >
      {text || "It holds for somebody at this frame."}
    </p>
  );
}

interface SmallProps {
  label: string;
  pressed: boolean;
  onClick: () => void;
  children: React.ReactNode;
}

function SmallButton({ label, pressed, onClick, children }: SmallProps) {
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
        className={`card-button ${pressed ? "!text-brass" : ""}`}
      >
        {children}
      </button>
    </Hint>
  );
}
