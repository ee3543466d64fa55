/** Every saved state of the effect, to be named, looked at and taken back. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronRight } from "lucide-react";
import { useState } from "react";
import { answered, api } from "@/api/client";
import type { Effect } from "@/state/document";
import { Button, Dialog } from "@/ui/controls";
import { useSession, useStudio } from "@/state/use";
import { cx } from "@/ui/cx";

const ABOUT =
  "Every change is kept. Give the ones worth finding again a name; taking one back is a change like any other " +
  "and can be undone.";

export function Versions({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const session = useSession();
  const revision = useStudio((state) => state.revision);
  const client = useQueryClient();
  const [shown, setShown] = useState<number | null>(null);
  const params = { path: { effect_id: session.id } };
  const versions = useQuery({
    queryKey: ["versions", session.id, revision, open],
    queryFn: () => answered(api.GET("/api/effects/{effect_id}/versions", { params })),
    enabled: open,
  });
  const take = async (number: number) => {
    const document = await answered(
      api.GET("/api/effects/{effect_id}/versions/{revision}", {
        params: { path: { ...params.path, revision: number } },
      }),
    );
    session.commit(document as unknown as Effect);
    onOpenChange(false);
  };
  const name = async (number: number, text: string) => {
    await answered(
      api.PUT("/api/effects/{effect_id}/versions/{revision}", {
        params: { path: { ...params.path, revision: number } },
        body: { name: text },
      }),
    );
    await client.invalidateQueries({ queryKey: ["versions"] });
  };
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Versions" description={ABOUT}>
      <ul className="divide-y divide-line/60">
        {versions.data?.map((version) => (
          <li key={version.revision} className="py-1.5">
            <div className="flex items-center gap-3">
              <button
                type="button"
                aria-expanded={shown === version.revision}
                aria-label={`What version ${version.revision} changed`}
                onClick={() => setShown(shown === version.revision ? null : version.revision)}
                className="text-soft hover:text-text"
              >
                <ChevronRight className={`size-4 ${shown === version.revision ? "rotate-90" : ""}`} />
              </button>
              <span className="tabular w-10 text-right text-soft">{version.revision}</span>
              <span className="tabular w-36 text-xs text-soft">
                {new Date(`${version.saved}Z`).toLocaleString("en-GB")}
              </span>
              <input
                aria-label={`Name of version ${version.revision}`}
                placeholder="name it"
                defaultValue={version.name ?? ""}
                maxLength={80}
                onBlur={(event) =>
                  event.target.value !== (version.name ?? "") && void name(version.revision, event.target.value)
                }
                className={cx(
                  "min-w-0 flex-1 rounded border border-transparent bg-transparent px-1.5 py-0.5",
                  "placeholder:text-soft/70 hover:border-line focus:border-ice focus:outline-none",
                )}
              />
              {version.revision === revision ? (
                <span className="text-xs text-soft">now</span>
              ) : (
                <Button className="!px-2 !py-0 text-xs" onClick={() => void take(version.revision)}>
                  Take back
                </Button>
              )}
            </div>
            {shown === version.revision && <Changes id={session.id} version={version.revision} now={revision} />}
          </li>
        ))}
      </ul>
    </Dialog>
  );
}

/** What a version changed, and what has changed since, in words. */
function Changes({ id, version, now }: { id: string; version: number; now: number }) {
  const [since, setSince] = useState(false);
  const params = { path: { effect_id: id, revision: since ? now : version }, query: since ? { since: version } : {} };
  const changes = useQuery({
    queryKey: ["changes", id, version, since && now],
    queryFn: () => answered(api.GET("/api/effects/{effect_id}/versions/{revision}/changes", { params })),
  });
  const marks = { added: "+", removed: "−", moved: "↕", changed: "·" } as const;
  return (
    <div className="ml-7 mt-1 text-xs">
      <div role="tablist" className="mb-1 flex gap-3 text-soft">
        {[false, true].map((later) => (
          <button
            key={String(later)}
            type="button"
            role="tab"
            aria-selected={since === later}
            disabled={later && version === now}
            onClick={() => setSince(later)}
            className={since === later ? "text-text" : "underline disabled:no-underline disabled:opacity-40"}
          >
            {later ? "changed since" : "changed then"}
          </button>
        ))}
      </div>
      {changes.isError && <p className="text-ember">{(changes.error as Error).message}</p>}
      {changes.data?.length === 0 && (
        <p className="text-soft">
          {since ? "Nothing has changed since." : "Nothing is different from the version before."}
        </p>
      )}
      <ul className="max-h-48 overflow-y-auto">
        {changes.data?.map((change, index) => (
          <li key={index} className="flex gap-2 py-0.5">
            <span
              aria-label={change.sort}
              className={cx(
                "tabular w-3 shrink-0 text-center",
                `${change.sort === "removed" ? "text-ember" : change.sort === "added" ? "text-ice" : "text-soft"}`,
              )}
            >
              {marks[change.sort]}
            </span>
            <span>{change.text}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
