/** How much the trails or links of a look take, and whether they were cut to keep within their budget. */

import type { Node, Path } from "@/state/document";
import { count } from "@/ui/numbers";
import { useRun, useSession } from "@/state/use";

export function LinesTold({ look, path }: { look: Node; path: Path }) {
  const session = useSession();
  const head = useRun((state) => state.shown?.frame.head.layers.find((layer) => layer.look === look.id));
  if (!head || head.lines === undefined) return null;
  const bytes = head.bytes ?? (head.points ?? 0) * 20;
  const size = bytes < 1e5 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
  const what = `${look.kind === "links" ? "link" : "trail"}${head.lines === 1 ? "" : "s"}`;
  const told = `${count(head.lines)} ${what}, ${count(head.points ?? 0)} points, ${size} a frame`;
  if (!head.cut) return <div className="tabular text-xs text-soft">{told}</div>;
  const over =
    look.kind === "links"
      ? `, ${count(head.cut)} more left out: lower “within” or “at most”`
      : `: the longest are cut to ${count(head.cut)} points${head.wanted ? ` of ${count(head.wanted)}` : ""} to keep within the budget`;
  const needed = head.needed ?? 0;
  const points = (look.length as Node | undefined)?.points as Node | undefined;
  const fitting = Math.max(2, head.cut);
  return (
    <div className="text-xs text-brass" role="status">
      <span className="tabular">{told}</span>
      {over}.{" "}
      {look.kind === "trails" && head.wanted ? (
        <>
          {points?.kind === "fixed" && (
            <>
              <button
                type="button"
                className="text-ice"
                onClick={() => session.edit([...path, "length", "points"], { kind: "fixed", value: fitting })}
              >
                Lower the points to {count(fitting)}
              </button>
              {needed <= 4_000_000 && " or "}
            </>
          )}
          {needed <= 4_000_000 && (
            <button
              type="button"
              className="text-ice"
              onClick={() => session.edit([...path, "budget"], Math.ceil(needed / 1000) * 1000)}
            >
              {points?.kind === "fixed" ? "raise" : "Raise"} the budget to {count(Math.ceil(needed / 1000) * 1000)}
            </button>
          )}
        </>
      ) : null}
    </div>
  );
}
