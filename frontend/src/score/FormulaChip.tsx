/** A formula inside a sentence, and its editor: tried when one pauses, with what is wrong told below. */

import { useEffect, useRef, useState } from "react";
import type { FieldInfo } from "@/api/client";
import type { Path } from "@/state/document";
import { Popover } from "@/ui/controls";
import { EditorHead } from "./editors";
import { useNotesAt } from "@/state/advisories";
import { useSession } from "@/state/use";
import { storeAt } from "@/state/store";
import { cx } from "@/ui/cx";

const PAUSE = 500;

export function FormulaChip({ field, value, path }: { field: FieldInfo; value: string; path: Path }) {
  const session = useSession();
  const lines = value.trim().split("\n");
  const last = lines.at(-1) ?? "";
  return (
    <Popover
      wide
      label={field.label}
      trigger={
        <button type="button" className="chip font-mono text-[12px]" aria-label={`${field.label}: ${value}`}>
          {lines.length > 1 && "… "}
          {last.length > 60 ? `${last.slice(0, 58)}…` : last || "write a formula"}
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={value !== field.default}
        onReset={() => session.edit(path, field.default as string)}
      />
      <FormulaEditor label={field.label} value={value} path={path} />
    </Popover>
  );
}

function FormulaEditor({ label, value, path }: { label: string; value: string; path: Path }) {
  const session = useSession();
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? value;
  const notes = useNotesAt(path);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const commit = (next: string) => {
    clearTimeout(timer.current);
    storeAt(session, path).commit(next);
    setDraft(null);
  };
  useEffect(() => () => clearTimeout(timer.current), []);
  return (
    <>
      <textarea
        aria-label={label}
        spellCheck={false}
        rows={Math.min(12, Math.max(4, text.split("\n").length + 1))}
        className={cx(
          "w-full resize-y rounded border border-line bg-panel px-2 py-1.5 font-mono text-[12.5px]",
          "leading-relaxed focus:border-ice focus:outline-none",
        )}
        value={text}
        onChange={(event) => {
          const next = event.target.value;
          setDraft(next);
          clearTimeout(timer.current);
          timer.current = setTimeout(() => commit(next), PAUSE);
        }}
        onBlur={() => draft !== null && commit(draft)}
      />
      {notes.map((note, index) => (
        <p key={index} role="alert" className="mt-1 text-xs text-ember">
          {note.text}
        </p>
      ))}
    </>
  );
}
