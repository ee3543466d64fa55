/** A condition tree in a sentence: single tests inline, joined ones on lines of their own, indented. */

import { useRef } from "react";
import type { FieldInfo } from "@/api/client";
import { kindOf, made, type Node, type Path } from "@/state/document";
import { Menu } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { useExplained, useRuleAround, useScore } from "./context";
import { AddKind, KindPicker } from "./KindPicker";
import { beginAnew } from "./opening";
import { Noted } from "./notes";
import { Sentence } from "./Sentence";
import { Spark } from "./Spark";
import { useSession } from "@/state/use";
import { cx } from "@/ui/cx";

/** The condition of a rule, or an invitation to give one. */
export function RuleCondition({ condition, path, rule }: { condition: Node | null; path: Path; rule: string }) {
  const session = useSession();
  const { selected } = useRuleAround();
  // A rule that always holds need not say so, but has a place for a condition once one turns to it.
  if (!condition && !selected) return null;
  if (!condition) return <KindPicker slot="condition" path={path} label="Condition" words="always" />;
  return (
    <ConditionNode
      condition={condition}
      path={path}
      owner={rule}
      onRemove={() => session.edit(path, null)}
      lead="when "
    />
  );
}

interface OwnProps {
  field: FieldInfo;
  condition: Node | null;
  path: Path;
  owner: string;
}

/** A condition that a part has of its own and can do without, such as that under which trails are laid. */
export function OwnCondition({ field, condition, path, owner }: OwnProps) {
  const session = useSession();
  if (!condition)
    return <KindPicker slot="condition" path={path} label={field.label} words={field.optional ?? "choose…"} />;
  return <ConditionNode {...{ condition, path, owner }} whole onRemove={() => session.edit(path, null)} />;
}

interface NodeProps {
  condition: Node;
  path: Path;
  /** What it belongs to: a part that stands elsewhere by now has no rings of its place's earlier one. */
  owner: string;
  /** Whether its own count stands beside it, and not only those of its parts. */
  whole?: boolean;
  lead?: string;
  /** Whose count stands beside it: its own, or that of the negation that it completes. */
  counted?: Path;
  onRemove: () => void;
}

const REST = 450;

const JOINING: Record<string, string> = { all: "all of these hold:", any: "any of these holds:" };

function ConditionNode({ condition, path, owner, whole, lead = "", counted = path, onRemove }: NodeProps) {
  const session = useSession();
  const { catalogue } = useScore();
  const { who } = useRuleAround();
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const info = kindOf(catalogue, "condition", condition.kind);
  const several = Array.isArray(condition.conditions) ? (condition.conditions as Node[]) : null;
  const inner = !several && condition.condition ? (condition.condition as Node) : null;
  if (!info) return null;
  const join = (kind: string) => {
    const outer = made(kindOf(catalogue, "condition", kind)!, session.state.document, catalogue);
    session.edit(path, {
      ...outer,
      conditions: [condition, made(kindOf(catalogue, "condition", "compare")!, session.state.document, catalogue)],
    });
  };
  const key = JSON.stringify([owner, path]);

  const ring = (pinned: boolean) =>
    session.set({ highlight: { label: "those for whom this holds", condition, path, who, pinned, key } });
  const unring = () => !session.state.highlight?.pinned && session.set({ highlight: null, highlighted: null });
  return (
    <span
      className="group/condition"
      onMouseEnter={() => {
        // Resting on a condition rings its particles; passing over it does not, nor does editing in it.
        timer.current = setTimeout(
          () =>
            !session.state.highlight?.pinned &&
            !document.querySelector("[data-radix-popper-content-wrapper]") &&
            ring(false),
          REST,
        );
      }}
      onMouseLeave={() => {
        clearTimeout(timer.current);
        unring();
      }}
    >
      {lead}
      <Noted path={path}>
        {several || inner ? (
          <KindPicker
            slot="condition"
            path={path}
            label="Condition"
            words={several ? (JOINING[String(condition.kind)] ?? info.title) : "not"}
            present={info.kind}
          />
        ) : (
          <Sentence info={info} node={condition} path={path} />
        )}
      </Noted>
      {inner ? (
        <>
          {" "}
          <ConditionNode
            condition={inner}
            path={[...path, "condition"]}
            owner={owner}
            whole={whole}
            counted={counted}
            onRemove={onRemove}
          />
        </>
      ) : (
        <BranchCount path={counted} whole={whole} />
      )}
      {/* Takes no room of its own where nothing follows, so that an unseen button never breaks a line. */}
      <span
        className={cx(
          "relative opacity-0 focus-within:opacity-100 group-hover/condition:opacity-100",
          whole && "inline-block w-6",
        )}
      >
        <Menu
          trigger={
            <button
              type="button"
              aria-label="Change this condition"
              className={cx(
                "absolute -top-0.5 left-0.5 grid size-6 place-items-center rounded bg-panel text-xs",
                "text-soft hover:bg-raised hover:text-text",
              )}
            >
              ⋯
            </button>
          }
          entries={[
            ...(condition.kind === "all" ? [] : [{ label: "and another condition…", onSelect: () => join("all") }]),
            ...(condition.kind === "any" ? [] : [{ label: "or another condition…", onSelect: () => join("any") }]),
            {
              label: inner ? "no longer negate" : "negate",
              onSelect: () => session.edit(path, inner ?? { kind: "not", condition }),
            },
            ...(several || inner
              ? []
              : [
                  {
                    label: "all its values as they begin",
                    onSelect: () => void beginAnew(session, path, String(condition.kind)),
                  },
                ]),
            { label: "ring those it holds for", onSelect: () => ring(true) },
            { label: "remove this condition", danger: true, onSelect: onRemove },
          ]}
        />
      </span>
      {several && <Several {...{ condition, path, owner }} conditions={several} />}
    </span>
  );
}

/** Conditions that are joined: one after another in the sentence, those that hold further ones on lines of their own. */
function Several({ condition, conditions, path, owner }: Omit<NodeProps, "onRemove"> & { conditions: Node[] }) {
  const session = useSession();
  const { selected } = useRuleAround();
  const word = condition.kind === "any" ? "or " : "and ";
  const without = (index: number) => {
    const rest = conditions.filter((_, other) => other !== index);
    session.edit(path, rest.length === 1 ? rest[0] : { ...condition, conditions: rest });
  };
  return (
    <>
      {conditions.map((entry, index) => {
        const nested = Array.isArray(entry.conditions);
        return (
          <span key={index} className={nested ? "ml-1 block border-l border-line pl-3" : ""}>
            {nested ? "" : " "}
            <ConditionNode
              condition={entry}
              path={[...path, "conditions", index]}
              owner={owner}
              lead={index > 0 ? word : ""}
              onRemove={() => without(index)}
            />
          </span>
        );
      })}
      {selected && (
        <>
          {" "}
          <AddKind slot="condition" path={[...path, "conditions"]} label="condition" />
        </>
      )}
    </>
  );
}

/** For how many of those that are looked at this condition holds by itself: shown for the conditions of a chosen rule. */
function BranchCount({ path, whole = false }: { path: Path; whole?: boolean }) {
  const { branches, curves } = useExplained();
  const inner = path.slice(3).join("/");
  const found = branches?.find((branch) => branch.path.join("/") === inner);
  const curve = curves?.curves.find((entry) => entry.path.join("/") === inner);
  // The whole condition of a rule has its count at the right edge.
  if (!found || (inner.length === 0 && !whole)) return null;
  return (
    <span
      className="tabular ml-1.5 inline-flex items-center gap-1 whitespace-nowrap align-middle text-xs text-soft"
      title={`holds for ${count(found.holds)} of ${count(found.of)} by itself`}
    >
      {curve && <Spark values={curve.holds} frames={curves?.frames} width={30} height={12} />}
      <span className={found.holds ? "text-text" : "text-brass"}>{count(found.holds)}</span>
    </span>
  );
}
