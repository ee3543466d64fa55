/** The library: all effects as pictures, and a way to begin. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Ellipsis, Plus } from "lucide-react";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { answered, api, type EffectSummary } from "@/api/client";
import { useStudio } from "@/state/studio";
import { useConnection } from "@/state/live";
import { Button, Dialog, Menu } from "@/ui/controls";

export function Library() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const news = useConnection((state) => state.libraryNews);
  const effects = useQuery({ queryKey: ["effects"], queryFn: () => answered(api.GET("/api/effects")) });
  const [deleting, setDeleting] = useState<EffectSummary | null>(null);
  const [problem, setProblem] = useState("");
  useEffect(() => {
    // What every effect needs is fetched while one is still choosing.
    if (!useStudio.getState().catalogue) answered(api.GET("/api/catalogue")).then((catalogue) => useStudio.setState({ catalogue }), () => undefined);
  }, []);
  useEffect(() => void client.invalidateQueries({ queryKey: ["effects"] }), [news, client]);
  const begin = async (copyOf?: string) => {
    try {
      const made = await answered(api.POST("/api/effects", { body: { copy_of: copyOf ?? null } }));
      await client.invalidateQueries({ queryKey: ["effects"] });
      if (!copyOf) void navigate(`/effects/${made.id}`, { state: { fresh: true } });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const remove = async (effect: EffectSummary) => {
    setDeleting(null);
    await answered(api.DELETE("/api/effects/{effect_id}", { params: { path: { effect_id: effect.id } } })).catch((error: Error) => setProblem(error.message));
    await client.invalidateQueries({ queryKey: ["effects"] });
  };
  return (
    <div className="h-full overflow-y-auto">
      <main className="mx-auto max-w-[1120px] px-8 py-8">
        <header className="mb-8 flex items-end justify-between gap-6">
          <div>
            <h1 className="flex items-center gap-3 text-[22px] font-medium">
              <Ridge /> Hailridge
            </h1>
            <p className="mt-1 text-soft">Particle effects written as sentences, seen as they work.</p>
          </div>
          <Button tone="main" className="flex items-center gap-1.5" onClick={() => void begin()}>
            <Plus className="size-4" /> New effect
          </Button>
        </header>
        {(problem || effects.isError) && (
          <p role="alert" className="mb-4 text-ember">
            {problem || (effects.error as Error).message}
          </p>
        )}
        {effects.data?.length === 0 && <p className="text-soft">Nothing here yet. A new effect starts with a source that is already running.</p>}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(310px,1fr))] gap-6">
          {effects.data?.map((effect) => (
            <li key={effect.id} className="group relative overflow-hidden rounded-lg border border-line bg-stage hover:border-ice/50">
              <Link to={`/effects/${effect.id}`} className="block focus-visible:outline-offset-[-2px]">
                <div className="aspect-[8/5] w-full overflow-hidden bg-stage">
                  {effect.poster ? <img src={effect.poster} alt="" className="h-full w-full object-cover" /> : <div className="grid h-full place-items-center text-xs text-soft">The picture comes with the first run</div>}
                </div>
                <div className="border-t border-line bg-panel px-4 py-3">
                  <h2 className="pr-8 font-medium">{effect.name}</h2>
                  <p className="mt-1 line-clamp-3 text-xs leading-relaxed text-soft">{effect.summary}</p>
                </div>
              </Link>
              <div className="absolute bottom-[auto] right-2 top-2">
                <Menu
                  trigger={
                    <button type="button" aria-label={`More for ${effect.name}`} className="rounded bg-panel/80 p-1.5 text-soft hover:text-text">
                      <Ellipsis className="size-4" />
                    </button>
                  }
                  entries={[
                    { label: "Make a copy", onSelect: () => void begin(effect.id) },
                    { label: "Delete…", danger: true, onSelect: () => setDeleting(effect) },
                  ]}
                />
              </div>
            </li>
          ))}
        </ul>
      </main>
      <Dialog open={deleting !== null} onOpenChange={() => setDeleting(null)} title={`Delete '${deleting?.name}'?`} description="The effect and all its versions go for good.">
        <div className="mt-3 flex justify-end gap-2">
          <Button onClick={() => setDeleting(null)}>Keep it</Button>
          <Button tone="danger" onClick={() => deleting && void remove(deleting)}>
            Delete
          </Button>
        </div>
      </Dialog>
    </div>
  );
}

/** The mark: a ridge with two stones falling on it. */
function Ridge() {
  return (
    <svg viewBox="0 0 28 20" className="h-5 w-7" aria-hidden>
      <path d="M1 18 13 8l14 10" fill="none" stroke="var(--ice)" strokeWidth="1.8" strokeLinecap="round" strokeLinejoin="round" />
      <circle cx="8" cy="4" r="1.6" fill="var(--text)" />
      <circle cx="17" cy="3" r="1.1" fill="var(--soft)" />
      <circle cx="21" cy="7.5" r="1.4" fill="var(--text)" />
    </svg>
  );
}
