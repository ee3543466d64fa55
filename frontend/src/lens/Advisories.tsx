/** Advisories: what will probably not do what was meant, and what the run had to tell. */

import { pathTo, withValue, type Effect, type Path } from "@/state/document";
import { Button } from "@/ui/controls";
import { useCheck, type Note } from "@/state/advisories";
import { turnTo } from "@/state/adding";
import { useRun, useSession, useStudio } from "@/state/use";

/** Where something that a run told of stands now. */
const pathOf = (effect: Effect, item: unknown): Path | null => (typeof item === "string" ? pathTo(effect, item) : null);

export function Advisories() {
  const session = useSession();
  const check = useCheck();
  const findings = useRun((state) => state.trial?.findings) ?? [];
  const document = useStudio((state) => state.document);
  const apply = (fix: NonNullable<Note["fix"]>) =>
    session.commit(withValue(document, fix.path, fix.remove ? undefined : fix.value));
  const go = (path: Path) => turnTo(session, String(path[0]), Number(path[1]), "center");
  const { list, problem } = check;
  return (
    <div className="space-y-3 p-4">
      {problem && <p className="text-ember">{problem}</p>}
      {list.length + findings.length === 0 && !problem && (
        <>
          <h3 className="font-medium">Nothing to remark</h3>
          <p className="text-soft">
            No rule is out of reach, nothing is unused, and the last run had no trouble. Anything that looks like a
            mistake will be told here, with its frame and its cause.
          </p>
        </>
      )}
      {list.map((advisory, index) => {
        const { fix } = advisory;
        return (
          <article
            key={index}
            className={`border-l-2 pl-3 ${advisory.level === "advice" ? "border-line" : "border-ember"}`}
          >
            <p>{advisory.text}</p>
            <div className="mt-1 flex gap-2">
              <Button className="!px-2 !py-0 text-xs" onClick={() => go(advisory.item)}>
                Show it
              </Button>
              {fix && (
                <Button tone="main" className="!px-2 !py-0 text-xs" onClick={() => apply(fix)}>
                  {fix.label}
                </Button>
              )}
            </div>
          </article>
        );
      })}
      {findings.map((finding, index) => (
        <article key={`f${index}`} className="border-l-2 border-brass pl-3">
          <p>
            <span className="tabular text-brass">frame {String(finding.frame)}</span> {String(finding.text)}
          </p>
          {pathOf(document, finding.item) && (
            <Button className="mt-1 !px-2 !py-0 text-xs" onClick={() => go(pathOf(document, finding.item)!)}>
              Show it
            </Button>
          )}
        </article>
      ))}
    </div>
  );
}
