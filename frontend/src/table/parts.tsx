/** Parts of the table's head: lines of the formula language, switches, the units of columns. */

import { useMemo, useState } from "react";
import { useWords } from "@/score/formula/asking";
import { useStudio } from "@/state/use";
import { cx } from "@/ui/cx";

/** The units of what is read by name. */
export function useUnits(): Map<string, string> {
  const words = useWords(false);
  const names = useStudio((state) => state.catalogue.units);
  return useMemo(
    () =>
      new Map(
        words.filter(({ unit }) => unit && unit !== "count").map(({ insert, unit }) => [insert, names[unit] ?? unit]),
      ),
    [words, names],
  );
}

/** A line of the formula language, kept with Enter or on leaving; names are offered as one types. */
export function Typed(props: {
  label: string;
  placeholder: string;
  value: string;
  fault: string;
  onKeep: (text: string) => void;
  className: string;
}) {
  const { label, placeholder, value, fault, onKeep, className } = props;
  const words = useWords(false);
  const [draft, setDraft] = useState<string | null>(null);
  const done = () => {
    if (draft === null) return;
    onKeep(draft.trim());
    setDraft(null);
  };
  const names = `${label.replace(/\W/g, "-")}-names`;
  return (
    <span className={cx("relative", className)}>
      <input
        aria-label={label}
        aria-invalid={!!fault}
        title={fault || undefined}
        placeholder={placeholder}
        list={draft && /^\w*$/.test(draft) ? names : undefined}
        spellCheck={false}
        className={cx(
          "w-full rounded border bg-raised px-2 py-1 font-mono text-[12px] focus:outline-none",
          fault ? "border-ember" : "border-line focus:border-ice",
        )}
        value={draft ?? value}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => {
          if (event.key === "Enter") done();
          if (event.key === "Escape") setDraft(null);
        }}
      />
      <datalist id={names}>
        {words
          .filter(({ sort }) => sort !== "snippet" && sort !== "function")
          .map(({ word, insert }) => (
            <option key={word} value={insert} />
          ))}
      </datalist>
      {fault && (
        <span
          role="alert"
          className="absolute left-0 top-full z-20 mt-0.5 w-max max-w-md rounded bg-raised px-2 py-1 text-ember shadow"
        >
          {fault}
        </span>
      )}
    </span>
  );
}

export function Toggle({ on, children, ...rest }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button type="button" aria-pressed={on} {...rest} className={cx("stage-button px-1.5", on && "text-ice")}>
      {children}
    </button>
  );
}
