/** Items of the score: a heading with its handle and menu, a sentence, and for rules the live count at the right edge. */

import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Ellipsis, GripVertical } from "lucide-react";
import { useMemo, useState, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { freshId, freshLabel, nameOf, usesOf, type Collection, type Node } from "@/state/document";
import { commit, edit, useStudio } from "@/state/studio";
import { Button, Dialog, Hint, Menu, type MenuEntry } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { AllValues } from "./AllValues";
import { Actions, RuleCondition } from "./Conditions";
import { ScoreContext, useScore } from "./context";
import { AddKind } from "./KindPicker";
import { ChoiceChip, ManyChip } from "./references";
import { Sentence } from "./Sentence";
import { Spark } from "./Spark";

interface CardProps {
  collection: Collection;
  item: Node;
  index: number;
  info: KindInfo;
  /** What stands beside the name: a colour, a count. */
  mark?: ReactNode;
  aside?: ReactNode;
  children?: ReactNode;
  off?: boolean;
  extra?: MenuEntry[];
  /** Name and sentence on one line, for things that are set up once. */
  compact?: boolean;
}

/** The frame that all items share. */
export function Card({ collection, item, index, info, mark, aside, children, off, extra = [], compact }: CardProps) {
  const { effect, catalogue } = useScore();
  const selected = useStudio((state) => state.selected?.[0] === collection && state.selected[1] === index);
  const [asking, setAsking] = useState<string[] | null>(null);
  const [renaming, setRenaming] = useState(false);
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({ id: `${collection}/${String(item.id)}` });
  const path = [collection, index] as const;
  const name = nameOf(item, collection, index);
  const labelled = "label" in item;
  const remove = () => {
    const refers = ["shapes", "groups", "attributes", "fields", "dials"].includes(collection) ? usesOf(effect, catalogue, collection.slice(0, -1), String(item.id)) : [];
    if (refers.length) setAsking(refers);
    else edit(path, undefined);
  };
  const duplicate = () => {
    const list = effect[collection];
    const copy: Node = { ...structuredClone(item), id: freshId(String(item.id), list), ...(labelled && item.label ? { label: freshLabel(String(item.label), list) } : {}) };
    commit({ ...effect, [collection]: [...list.slice(0, index + 1), copy, ...list.slice(index + 1)] });
  };
  const sentence = children ?? <Sentence info={info} node={item} path={path} />;
  const entries: MenuEntry[] = [
    ...(labelled ? [{ label: "Rename", onSelect: () => setTimeout(() => setRenaming(true), 50) }] : []),
    ...extra,
    { label: "Duplicate", onSelect: duplicate },
    { label: "Show in the guide", onSelect: () => useStudio.setState({ lens: "guide", lensOpen: true, guidePage: null, selected: [...path] }) },
    { label: "Delete", danger: true, onSelect: remove },
  ];
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-item={`${collection}/${String(item.id)}`}
      aria-label={name}
      onClick={() => useStudio.setState({ selected: [...path] })}
      className={`group/card relative border-b border-line/60 ${compact ? "py-[3px]" : "py-2"} pl-6 pr-3 ${selected ? "bg-raised/60" : "hover:bg-raised/30"} ${isDragging ? "z-10 bg-raised shadow-lg" : ""} ${off ? "opacity-50" : ""}`}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        aria-label={`Move ${name}`}
        className={`absolute left-0 ${compact ? "top-0.5" : "top-1.5"} grid size-6 cursor-grab touch-none place-items-center text-line hover:text-soft group-hover/card:text-soft`}
        {...attributes}
        {...listeners}
      >
        <GripVertical className="size-4" />
      </button>
      <div className="flex min-h-5 items-start gap-2">
        <div className="min-w-0 flex-1">
          <div className="flex items-center gap-1.5">
            {mark}
            {renaming ? (
              <input
                autoFocus
                aria-label="Name"
                className="min-w-0 flex-1 rounded border border-line bg-panel px-1 focus:border-ice focus:outline-none"
                defaultValue={String(item.label ?? "")}
                onFocus={(event) => event.target.select()}
                onBlur={(event) => {
                  setRenaming(false);
                  if (event.target.value.trim() || collection === "rules") edit([...path, "label"], event.target.value.trim());
                }}
                onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
              />
            ) : (
              <span className={`${compact ? "" : "truncate"} min-w-0 leading-[1.6]`}>
                {labelled && (
                  <span className="mr-2 font-medium" onDoubleClick={() => setRenaming(true)}>
                    {name}
                  </span>
                )}
                {compact && <span className="text-text/85">{sentence}</span>}
              </span>
            )}
            {off && <span className="text-xs text-soft">off</span>}
            <span className="-my-0.5 flex shrink-0 items-center opacity-0 focus-within:opacity-100 group-hover/card:opacity-100">
              <AllValues info={info} node={item} path={path} label={name} />
              <Menu
                entries={entries}
                trigger={
                  <button type="button" aria-label={`More for ${name}`} className="rounded p-[5px] text-soft hover:bg-raised hover:text-text">
                    <Ellipsis className="size-3.5" />
                  </button>
                }
              />
            </span>
          </div>
        </div>
        {aside}
      </div>
      {!compact && <div className="leading-[1.65] text-text/85">{sentence}</div>}
      <Dialog open={asking !== null} onOpenChange={() => setAsking(null)} title={`'${name}' is in use`} description="Deleting it would leave these without it:">
        <ul className="mb-4 list-disc pl-5">{asking?.map((user) => <li key={user}>{user}</li>)}</ul>
        <p className="mb-4 text-soft">Point them at something else first, then delete it.</p>
        <Button onClick={() => setAsking(null)}>Keep it</Button>
      </Dialog>
    </li>
  );
}

export function RuleCard({ rule, index, info }: { rule: Node; index: number; info: KindInfo }) {
  const score = useScore();
  const { effect } = score;
  const path = ["rules", index] as const;
  const off = rule.enabled === false;
  const field = (name: string) => info.fields.find((entry) => entry.name === name)!;
  const surroundings = useMemo(() => ({ ...score, who: rule.who as string[], trigger: String(rule.trigger) }), [score, rule.who, rule.trigger]);
  const actions = (rule.actions ?? []) as Node[];
  const otherwise = (rule.otherwise ?? []) as Node[];
  const moment = !["each", "birth", "contact", "death"].includes(String(rule.trigger));
  const solo = () => {
    const alone = effect.rules.every((other, at) => at === index || other.enabled === false);
    commit({ ...effect, rules: effect.rules.map((other, at) => ({ ...other, enabled: alone || at === index })) });
  };
  const extra: MenuEntry[] = [
    { label: off ? "Switch on" : "Switch off", onSelect: () => edit([...path, "enabled"], off) },
    { label: "Only this rule", hint: "solo", onSelect: solo },
  ];
  return (
    <ScoreContext.Provider value={surroundings}>
      <Card collection="rules" item={rule} index={index} info={info} off={off} extra={extra} mark={<span className="tabular w-4 text-xs text-soft">{index + 1}</span>} aside={<LiveCount rule={rule} index={index} />}>
        <div className="pl-[22px]">
          <div>
            <ManyChip field={field("who")} value={rule.who as string[]} path={[...path, "who"]} />
            <span className="text-soft"> · </span>
            <ChoiceChip field={field("trigger")} value={String(rule.trigger)} path={[...path, "trigger"]} />{" "}
            <RuleCondition condition={rule.condition as Node | null} path={[...path, "condition"]} rule={String(rule.id)} />
          </div>
          <Actions actions={actions} path={[...path, "actions"]} lead="→" />
          {otherwise.length > 0 && <div className="text-soft">otherwise</div>}
          <Actions actions={otherwise} path={[...path, "otherwise"]} lead="→" />
          <div className={`flex gap-2 ${actions.length ? "h-0 overflow-hidden group-focus-within/card:h-auto group-hover/card:h-auto" : ""}`}>
            <AddKind slot="action" path={[...path, "actions"]} label="action" />
            {!moment && rule.condition && otherwise.length === 0 ? <AddKind slot="action" path={[...path, "otherwise"]} label="otherwise" /> : null}
          </div>
          {off && <div className="text-xs text-soft">Switched off: it is not run.</div>}
        </div>
      </Card>
    </ScoreContext.Provider>
  );
}

/** How many particles the rule holds for, of how many it looked at, and the same over time. Click to ring them on the stage. */
function LiveCount({ rule, index }: { rule: Node; index: number }) {
  const frame = useStudio((state) => state.frame);
  const stats = useStudio((state) => state.stats);
  const pinned = useStudio((state) => state.highlight?.pinned && state.highlight.key === String(rule.id));
  const now = stats[frame];
  const held = now?.held[index] ?? 0;
  const looked = now?.looked[index] ?? 0;
  const series = useMemo(() => stats.map((entry) => entry.held[index] ?? 0), [stats, index]);
  const instant = ["contact", "birth", "death"].includes(String(rule.trigger));
  const label = String(rule.label || `rule ${index + 1}`);
  const ring = (pin: boolean) =>
    useStudio.setState({ highlight: { label: `those that '${label}' holds for`, condition: rule.condition as Node | null, path: ["rules", index, "condition"], who: rule.who as string[], pinned: pin, key: String(rule.id) } });
  const explain = instant
    ? `${count(held)} of ${count(looked)} ${rule.trigger === "contact" ? "contacts" : rule.trigger === "birth" ? "births" : "deaths"} in this frame`
    : `holds for ${count(held)} of ${count(looked)} at this frame`;
  if (rule.enabled === false) return null;
  return (
    <Hint text={`${explain}. Click to ring them on the stage.`}>
      <button
        type="button"
        aria-label={`${label}: ${explain}`}
        aria-pressed={!!pinned}
        data-count={held}
        onMouseEnter={() => !useStudio.getState().highlight?.pinned && ring(false)}
        onMouseLeave={() => !useStudio.getState().highlight?.pinned && useStudio.setState({ highlight: null, highlighted: null })}
        onClick={(event) => {
          event.stopPropagation();
          if (pinned) useStudio.setState({ highlight: null, highlighted: null });
          else ring(true);
        }}
        className={`flex shrink-0 items-center gap-2 rounded px-1 text-right text-xs ${pinned ? "bg-ice/20 text-ice" : "text-soft hover:text-text"}`}
      >
        <Spark values={series} at={frame} />
        <span className="tabular">
          <span className={held ? "text-text" : ""}>{count(held)}</span> of {count(looked)}
        </span>
      </button>
    </Hint>
  );
}
