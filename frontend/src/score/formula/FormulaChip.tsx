/** A formula inside a sentence; its editor opens with it. */

import { Suspense, useRef, type RefObject } from "react";
import type { FieldInfo } from "@/api/client";
import type { Path } from "@/state/document";
import { useSession } from "@/state/use";
import { Popover } from "@/ui/controls";
import { late } from "@/ui/late";
import { EditorHead } from "../EditorHead";
import type { Slot, Sort } from "./asking";

const FormulaEditor = late(() => import("./FormulaEditor"), "FormulaEditor");

const SHOWN = 60;

/** What a formula is, by where it stands. */
const sortAt = (path: Path): Sort =>
  path[0] === "fields" ? "field" : ["actions", "otherwise"].includes(String(path.at(-3))) ? "lines" : "value";

/** What it stands for: a part that a sentence could take the place of; none for fields. */
function slotAt(path: Path): Slot | null {
  if (path[0] === "fields") return null;
  const [list, name] = [String(path.at(-3)), String(path.at(-2))];
  if (list === "actions" || list === "otherwise") return "action";
  if (name === "condition" || list === "conditions") return "condition";
  return name === "quantity" ? "quantity" : "amount";
}

/** The line that says most in a sentence: the last one. */
const last = (value: string): string => value.trim().split("\n").at(-1) ?? "";

export function FormulaChip({ field, value, path }: { field: FieldInfo; value: string; path: Path }) {
  const session = useSession();
  const escapeRef = useRef<(() => boolean) | null>(null);
  const line = last(value);
  return (
    <Popover
      wide="more"
      label={field.label}
      escapeRef={escapeRef}
      trigger={
        <button type="button" className="chip text-left font-mono text-[12px]" aria-label={`${field.label}: ${value}`}>
          {value.trim().includes("\n") && "… "}
          {line.length > SHOWN ? `${line.slice(0, SHOWN - 2)}…` : line || "write a formula"}
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={value !== field.default}
        onReset={() => session.edit(path, field.default as string)}
      />
      <FormulaBox field={field} value={value} path={path} escapeRef={escapeRef} />
    </Popover>
  );
}

interface BoxProps {
  field: FieldInfo;
  value: string;
  path: Path;
  /** Takes Escape before the box around does. */
  escapeRef: RefObject<(() => boolean) | null>;
}

/** The editor of a formula in a box that is open already. */
export function FormulaBox({ field, value, path, escapeRef }: BoxProps) {
  return (
    <Suspense fallback={<div className="h-24" />}>
      <FormulaEditor
        label={field.label}
        value={value}
        path={path}
        sort={sortAt(path)}
        slot={slotAt(path)}
        escapeRef={escapeRef}
      />
    </Suspense>
  );
}
