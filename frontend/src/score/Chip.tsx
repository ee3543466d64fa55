/** One value inside a sentence. The field's declared type decides how it is written and which editor opens. */

import type { FieldInfo } from "@/api/client";
import { kindOf, type Json, type Node, type Path } from "@/state/document";
import { keysOf } from "@/state/keys";
import { withUnit } from "@/ui/numbers";
import { Popover } from "@/ui/controls";
import { rendered } from "@/ui/rendered";
import { AmountChip } from "./AmountChip";
import { fieldNow, isColor, useScore } from "./context";
import { OwnCondition } from "./Conditions";
import { CurveChip } from "./CurveChip";
import { FieldEditor } from "./editors";
import { KindPicker } from "./KindPicker";
import { ChoiceChip, ManyChip, ReferenceChip } from "./references";
import { FormulaChip } from "./formula/FormulaChip";
import { ColorsChip, NumbersChip } from "./lists";
import { PictureChip } from "./PictureChip";
import { RampChip } from "./RampChip";
import { Noted } from "./notes";
import { Sentence } from "./Sentence";
import { coreOf } from "./template";
import { useSession } from "@/state/use";

interface Props {
  field: FieldInfo;
  parent: Node;
  path: Path;
}

export function Chip(props: Props) {
  rendered("chip");
  return (
    <Noted path={props.path}>
      <PlainOrNested {...props} />
    </Noted>
  );
}

function PlainOrNested({ field, parent, path }: Props) {
  const session = useSession();
  const value = parent[field.name] ?? null;
  switch (field.type) {
    case "amount":
      return <AmountChip field={field} parent={parent} path={path} />;
    case "choice":
      return <ChoiceChip field={field} value={value as string} path={path} />;
    case "reference":
      return <ReferenceChip field={field} value={value as string | null} path={path} />;
    case "references":
      return <ManyChip field={field} value={(value ?? []) as string[]} path={path} />;
    case "slot":
      if (field.slot === "condition" && field.optional)
        return <OwnCondition field={field} condition={value as Node | null} path={path} owner={String(parent.id)} />;
      return field.many ? null : <SlotChip field={field} node={value as Node | null} path={path} />;
    case "formula":
      return <FormulaChip field={field} value={String(value ?? "")} path={path} />;
    case "ramp":
      return <RampChip field={field} parent={parent} path={path} />;
    case "asset":
      return <PictureChip field={field} value={String(value ?? "")} path={path} />;
    case "colors":
      return <ColorsChip field={field} value={(value ?? []) as number[][]} path={path} />;
    case "numbers":
      return <NumbersChip field={field} value={(value ?? []) as number[]} path={path} />;
    case "curve":
      return <CurveChip field={field} parent={parent} path={path} />;
    case "flag":
      return (
        <button type="button" className="chip" onClick={() => session.edit(path, !value)}>
          {(value ? field.yes : field.no) ?? String(value)}
        </button>
      );
    default:
      return <PlainChip field={field} parent={parent} value={value} path={path} />;
  }
}

/** A nested kind: its words are a chip that changes the kind, its fields are chips of their own. */
function SlotChip({ field, node, path }: { field: FieldInfo; node: Node | null; path: Path }) {
  const { catalogue } = useScore();
  const info = kindOf(catalogue, field.slot ?? "", node?.kind);
  if (!info || !node)
    return <KindPicker slot={field.slot ?? ""} path={path} label={field.label} words={field.optional ?? "choose…"} />;
  const words = (text: string) => {
    const [lead, core, tail] = coreOf(text);
    return (
      <>
        {lead}
        {core &&
          (/\w/.test(core) ? (
            <KindPicker
              slot={field.slot ?? ""}
              path={path}
              label={field.label}
              words={core}
              present={String(node.kind)}
              node={node}
            />
          ) : (
            core
          ))}
        {tail}
      </>
    );
  };
  return <Sentence info={info} node={node} path={path} wrapWords={words} whole />;
}

function PlainChip({
  field: declared,
  parent,
  value,
  path,
}: {
  field: FieldInfo;
  parent: Node;
  value: Json;
  path: Path;
}) {
  const { catalogue, effect } = useScore();
  const field = fieldNow(declared, parent, catalogue, effect);
  const words = written(value, field, catalogue.units, Number(effect.clock.frames_per_second));
  return (
    <Popover
      label={field.label}
      trigger={
        <button type="button" data-value className="chip" aria-label={`${field.label}: ${words}`}>
          {field.type === "color" && isColor(value) ? <Swatch color={value} /> : words}
        </button>
      }
    >
      <FieldEditor field={declared} parent={parent} value={value} path={path} />
    </Popover>
  );
}

export function Swatch({ color }: { color: readonly number[] }) {
  const tone = `rgb(${color.map((c) => Math.round(c * 255)).join(" ")})`;
  return (
    <span
      className="mx-0.5 inline-block size-3 translate-y-[2px] rounded-sm border border-line"
      style={{ background: tone }}
    />
  );
}

function written(value: Json, field: FieldInfo, units: Record<string, string>, fps: number): string {
  const keys = keysOf(value);
  if (keys) {
    const ends = keys.length > 1 ? [keys[0]!, keys.at(-1)!] : [keys[0]!];
    return `${ends.map((key) => written(key.value as Json, field, units, fps)).join(" … ")} over time`;
  }
  if (field.type === "points") return `${(value as Json[])?.length ?? 0} points`;
  if (typeof value === "number") return withUnit(value, field.unit, units, fps);
  if (Array.isArray(value) && value.every((entry) => typeof entry === "number")) {
    const numbers = value.map((entry) => String(Number((entry as number).toFixed(3))).replace("-", "−"));
    const unit = field.unit ? ` ${units[field.unit] ?? ""}` : "";
    return field.name === "size" ? `${numbers.join(" × ")}${unit}` : `(${numbers.join(", ")})${unit}`;
  }
  return String(value ?? "–");
}
