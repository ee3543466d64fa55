/** Every saved state of the effect, to be named, looked at and taken back. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { Effect } from "@/state/document";
import { commit, useStudio } from "@/state/studio";
import { Button, Dialog } from "@/ui/controls";

export function Versions({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const id = useStudio((state) => state.id);
  const revision = useStudio((state) => state.revision);
  const client = useQueryClient();
  const params = { path: { effect_id: id ?? "" } };
  const versions = useQuery({ queryKey: ["versions", id, revision, open], queryFn: () => answered(api.GET("/api/effects/{effect_id}/versions", { params })), enabled: open && !!id });
  const take = async (number: number) => {
    const document = await answered(api.GET("/api/effects/{effect_id}/versions/{revision}", { params: { path: { ...params.path, revision: number } } }));
    commit(document as unknown as Effect);
    onOpenChange(false);
  };
  const name = async (number: number, text: string) => {
    await answered(api.PUT("/api/effects/{effect_id}/versions/{revision}", { params: { path: { ...params.path, revision: number } }, body: { name: text } }));
    await client.invalidateQueries({ queryKey: ["versions"] });
  };
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Versions" description="Every change is kept. Give the ones worth finding again a name; taking one back is a change like any other and can be undone.">
      <ul className="divide-y divide-line/60">
        {versions.data?.map((version) => (
          <li key={version.revision} className="flex items-center gap-3 py-1.5">
            <span className="tabular w-10 text-right text-soft">{version.revision}</span>
            <span className="tabular w-36 text-xs text-soft">{new Date(`${version.saved}Z`).toLocaleString("en-GB")}</span>
            <input
              aria-label={`Name of version ${version.revision}`}
              placeholder="name it"
              defaultValue={version.name ?? ""}
              maxLength={80}
              onBlur={(event) => event.target.value !== (version.name ?? "") && void name(version.revision, event.target.value)}
              className="min-w-0 flex-1 rounded border border-transparent bg-transparent px-1.5 py-0.5 placeholder:text-soft/70 hover:border-line focus:border-ice focus:outline-none"
            />
            {version.revision === revision ? <span className="text-xs text-soft">now</span> : <Button className="!px-2 !py-0 text-xs" onClick={() => void take(version.revision)}>Take back</Button>}
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
