/** Advisories: what will probably not do what was meant, and what the run had to tell. */

import { pathTo, withValue, type Effect, type Json, type Path } from "@/state/document";
import { commit, edit, useStudio } from "@/state/studio";
import { Button } from "@/ui/controls";
import { useAdvisories } from "@/state/advisories";

interface Fix {
  path: (string | number)[];
  value?: Json;
  remove?: boolean;
  label: string;
}

/** Where something that a run told of stands now. */
const pathOf = (effect: Effect, item: unknown): Path | null => (typeof item === "string" ? pathTo(effect, item) : null);

export function Advisories() {
  const advisories = useAdvisories();
  const findings = useStudio((state) => state.trial?.findings) ?? [];
  const document = useStudio((state) => state.document);
  const apply = (fix: Fix) => {
    if (fix.remove) edit(fix.path, undefined);
    else if (document) commit(withValue(document, fix.path, fix.value as Json));
  };
  const go = (path: Path) => {
    useStudio.setState({ selected: path.slice(0, 2) });
    const item = document && (document[String(path[0]) as "rules"] as { id?: Json }[] | undefined)?.[Number(path[1])];
    window.document
      .querySelector(`[data-item="${String(path[0])}/${String(item?.id)}"]`)
      ?.scrollIntoView({ block: "center", behavior: "smooth" });
  };
  const list = advisories.data ?? [];
  return (
    <div className="space-y-3 p-4">
      {advisories.isError && <p className="text-ember">{(advisories.error as Error).message}</p>}
      {list.length + findings.length === 0 && !advisories.isError && (
        <>
          <h3 className="font-medium">Nothing to remark</h3>
          <p className="text-soft">
            No rule is out of reach, nothing is unused, and the last run had no trouble. Anything that looks like a
            mistake will be told here, with its frame and its cause.
          </p>
        </>
      )}
      {list.map((advisory, index) => {
        const fix = advisory.fix as unknown as Fix | null;
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
          {document && pathOf(document, finding.item) && (
            <Button className="mt-1 !px-2 !py-0 text-xs" onClick={() => go(pathOf(document, finding.item)!)}>
              Show it
            </Button>
          )}
        </article>
      ))}
    </div>
  );
}
