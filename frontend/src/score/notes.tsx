/** What the checks have to say about places in the document, shown beside the chips that they are about. */

import type { ReactNode } from "react";
import { fixesOf, useNotesAt, useNotesUnder, type Fix } from "@/state/advisories";
import { withValue, type Path } from "@/state/document";
import { useSession } from "@/state/use";
import { Hint } from "@/ui/controls";
import { cx } from "@/ui/cx";

/** A chip with what is wrong about it: marked, and told when one rests on the mark. The chip stays the same element
 * either way, so that an editor
 * opened from it stays open while what is wrong comes and goes. */
export function Noted({ path, children }: { path: Path; children: ReactNode }) {
  const [first] = useNotesAt(path);
  return (
    <span
      data-at={path.join("/")}
      data-note={first?.level}
      className={first && "rounded-sm underline decoration-ember decoration-wavy decoration-1 underline-offset-[5px]"}
    >
      {children}
      {first && (
        <Hint text={first.text}>
          <span
            aria-label={first.text}
            role="note"
            className={cx(
              "ml-0.5 inline-grid size-3.5 -translate-y-px place-items-center rounded-full bg-ember/25",
              "text-xs leading-none font-semibold text-ember",
            )}
          >
            !
          </span>
        </Hint>
      )}
    </span>
  );
}

/** A mark behind what is wrong as a whole. */
export function NotesAt({ path }: { path: Path }) {
  const [first] = useNotesAt(path);
  return first ? (
    <Hint text={first.text}>
      <span
        aria-label={first.text}
        role="note"
        className="ml-1 inline-grid size-3.5 place-items-center rounded-full bg-ember/25 text-xs leading-none font-semibold text-ember"
      >
        !
      </span>
    </Hint>
  ) : null;
}

/** Everything wrong within an item, as lines under its sentence, with the remedy where there is one. */
export function NotesUnder({ path }: { path: Path }) {
  const session = useSession();
  const notes = useNotesUnder(path);
  const apply = (fix: Fix) => {
    const { document } = session.state;
    session.commit(withValue(document, fix.path, fix.remove ? undefined : fix.value));
  };
  if (notes.length === 0) return null;
  return (
    <ul className="mt-1 space-y-1 text-xs leading-snug text-ember">
      {notes.map((note, index) => (
        <li key={index}>
          <span role="note">{note.text}</span>
          {fixesOf(note).map((fix) => (
            <button
              key={fix.label}
              type="button"
              className="ml-1.5 h-6 rounded border border-ember/50 px-1.5 hover:bg-ember/10"
              onClick={() => apply(fix)}
            >
              {fix.label}
            </button>
          ))}
        </li>
      ))}
    </ul>
  );
}
