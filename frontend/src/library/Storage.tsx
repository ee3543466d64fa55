/** What the data folder holds: told in a line, and in a dialog with its limit and a way to make room. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, useState } from "react";
import { answered, api, type Schemas } from "@/api/client";
import { Button } from "@/ui/Button";
import { late } from "@/ui/late";
import { bytesTold } from "@/ui/words";

const Dialog = late(() => import("@/ui/Dialog"), "Dialog");

const LIMITS = [0.5e9, 1e9, 2e9, 4e9, 8e9, 16e9, 32e9, 64e9];

export function Storage({ onDeleted }: { onDeleted: () => void }) {
  const [open, setOpen] = useState(false);
  const storage = useQuery({
    queryKey: ["storage"],
    queryFn: () => answered(api.GET("/api/storage")),
    refetchInterval: 20_000,
  });
  const told = storage.data;
  if (!told) return <footer className="mt-10 h-6" />;
  return (
    <footer className="mt-10 flex items-center gap-4 border-t border-line pt-3 text-xs text-soft">
      <span>
        Effects <span className="tabular text-text">{bytesTold(told.effects)}</span>
      </span>
      <span>
        computed frames <span className="tabular text-text">{bytesTold(told.frames)}</span> of at most{" "}
        {bytesTold(told.limit)}
      </span>
      <button type="button" className="underline hover:text-text" onClick={() => setOpen(true)}>
        Storage…
      </button>
      {told.deleted > 0 && (
        <button type="button" className="underline hover:text-text" onClick={onDeleted}>
          {told.deleted} deleted…
        </button>
      )}
      {open && (
        <Suspense>
          <Dialog
            open={open}
            onOpenChange={setOpen}
            title="Storage"
            description="Effects are yours and stay. Computed frames can be made again: those that nobody comes back to go by themselves."
          >
            <Held told={told} />
          </Dialog>
        </Suspense>
      )}
    </footer>
  );
}

function Held({ told }: { told: Schemas["StorageOut"] }) {
  const client = useQueryClient();
  const [problem, setProblem] = useState("");
  const act = (asked: Promise<Schemas["StorageOut"]>) =>
    asked.then(
      (now) => {
        setProblem("");
        client.setQueryData(["storage"], now);
      },
      (error: Error) => setProblem(error.message),
    );
  const share = Math.min(1, told.frames / told.limit);
  return (
    <div className="mt-3 space-y-4">
      <dl className="grid grid-cols-[1fr_auto] gap-y-1.5">
        <dt>Effects, versions, meshes and pictures</dt>
        <dd className="tabular text-right">{bytesTold(told.effects)}</dd>
        <dt>Computed frames</dt>
        <dd className="tabular text-right">{bytesTold(told.frames)}</dd>
        <dt className="text-soft">Free on this disk</dt>
        <dd className="tabular text-right text-soft">{bytesTold(told.free)}</dd>
      </dl>
      <div
        className="h-1.5 overflow-hidden rounded bg-line"
        role="img"
        aria-label={`${Math.round(share * 100)} % of the limit is used`}
      >
        <div className={`h-full ${share > 0.9 ? "bg-brass" : "bg-ice/70"}`} style={{ width: `${share * 100}%` }} />
      </div>
      <div className="flex items-center gap-3">
        <label className="flex items-center gap-2">
          Frames may take
          <select
            aria-label="What computed frames may take"
            value={told.limit}
            onChange={(event) =>
              void act(answered(api.PUT("/api/storage", { body: { limit: Number(event.target.value) } })))
            }
            className="rounded border border-line bg-raised px-2 py-1"
          >
            {[...new Set([...LIMITS, told.limit])]
              .sort((a, b) => a - b)
              .map((limit) => (
                <option key={limit} value={limit}>
                  {bytesTold(limit)}
                </option>
              ))}
          </select>
        </label>
        <span className="flex-1" />
        <Button onClick={() => void act(answered(api.POST("/api/storage/clear")))}>Let all frames go</Button>
      </div>
      {problem && (
        <p role="alert" className="text-ember">
          {problem}
        </p>
      )}
      <p className="break-all text-xs text-soft">{told.folder}</p>
    </div>
  );
}
