/** Advisories: what will probably not do what was meant, and what the run had to tell. */

import { pathTo, withValue, type Effect, type Path } from "@/state/document";
import { Button } from "@/ui/controls";
import { BUDGET, fixesOf, useCheck, type Finding, type Fix } from "@/state/advisories";
import { turnTo } from "@/state/adding";
import { useRun, useSession, useStudio } from "@/state/use";

/** Where something that a run told of stands now. */
const pathOf = (effect: Effect, item: unknown): Path | null => (typeof item === "string" ? pathTo(effect, item) : null);

export function Advisories() {
  const session = useSession();
  const check = useCheck();
  const findings = (useRun((state) => state.trial?.findings) ?? []) as unknown as Finding[];
  const document = useStudio((state) => state.document);
  const apply = (fix: Fix) => session.commit(withValue(document, fix.path, fix.remove ? undefined : fix.value));
  const go = (path: Path) => turnTo(session, String(path[0]), Number(path[1]), "center");
  const { problem } = check;
  // What a run told stands below, with its frame.
  const list = check.list.filter((note) => note.code !== BUDGET);
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
        return (
          <article
            key={index}
            className={`border-l-2 pl-3 ${advisory.level === "advice" ? "border-line" : "border-ember"}`}
          >
            <p>{advisory.text}</p>
            <Ways show={() => go(advisory.item)} fixes={fixesOf(advisory)} apply={apply} />
          </article>
        );
      })}
      {findings.map((finding, index) => (
        <article key={`f${index}`} className="border-l-2 border-brass pl-3">
          <p>
            <span className="tabular text-brass">frame {String(finding.frame)}</span> {String(finding.text)}
          </p>
          {pathOf(document, finding.item) && (
            <Ways show={() => go(pathOf(document, finding.item)!)} fixes={finding.fixes ?? []} apply={apply} />
          )}
        </article>
      ))}
    </div>
  );
}

/** Where something is, and what would mend it. */
function Ways({ show, fixes, apply }: { show: () => void; fixes: Fix[]; apply: (fix: Fix) => void }) {
  return (
    <div className="mt-1 flex flex-wrap gap-2">
      <Button className="!px-2 !py-0 text-xs" onClick={show}>
        Show it
      </Button>
      {fixes.map((fix) => (
        <Button key={fix.label} tone="main" className="!px-2 !py-0 text-xs" onClick={() => apply(fix)}>
          {fix.label}
        </Button>
      ))}
    </div>
  );
}
