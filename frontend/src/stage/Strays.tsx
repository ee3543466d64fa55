/** Who is far out at this frame: how far, what threw them, and a guard round everybody else in one click. */

import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { answered, api } from "@/api/client";
import { useAsked } from "@/score/searching";
import { ruleName } from "@/score/numbering";
import { guarded, turnTo } from "@/state/adding";
import { listOf } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { count, plain } from "@/ui/numbers";

export function Strays() {
  const wanted = useStudio((state) => state.strays);
  return wanted && <Finder />;
}

const far = (metres: number): string =>
  metres >= 10_000
    ? `${plain(Number((metres / 1000).toPrecision(3)))} km`
    : `${plain(Number(metres.toPrecision(3)))} m`;

function Finder() {
  const session = useSession();
  const asked = useAsked();
  const picked = useStudio((state) => state.particle);
  const found = useQuery({
    queryKey: ["strays", asked?.trial, asked?.frame],
    queryFn: () => {
      const params = { path: { trial_id: asked!.trial, number: asked!.frame } };
      return answered(api.GET("/api/trials/{trial_id}/frames/{number}/strays", { params }));
    },
    enabled: asked !== null,
    retry: false,
  }).data;
  const look = (particle: number) => {
    session.set({ particle, selected: null, lens: "probe", lensOpen: true });
    // Once it is ringed it can be framed.
    setTimeout(() => session.viewpoint.frameSelected(), 60);
  };
  const guard = () => {
    if (!found) return;
    const { catalogue, document: effect } = session.state;
    const next = guarded(catalogue, effect, found.middle, found.size);
    session.commit(next);
    turnTo(session, "rules", next.rules.length - 1);
  };
  return (
    <section
      aria-label="Who is far out"
      className="absolute left-3 top-12 z-10 w-80 rounded bg-panel/95 p-2 text-[13px] shadow-lg"
    >
      <div className="flex items-start gap-2">
        <p className="grow" role="status">
          <Told found={found} />
        </p>
        <button
          type="button"
          aria-label="Close"
          onClick={() => session.set({ strays: false })}
          className="stage-button shrink-0 text-soft"
        >
          <X className="size-3.5" />
        </button>
      </div>
      {found && found.found.length > 0 && (
        <ul className="mt-1 max-h-56 overflow-y-auto">
          {found.found.map((stray) => (
            <li key={stray.id} className={`rounded px-1 py-0.5 ${picked === stray.id ? "bg-ice/15" : ""}`}>
              <button type="button" onClick={() => look(stray.id)} className="text-left hover:text-ice">
                Particle <span className="tabular">{count(stray.id)}</span>,{" "}
                <span className="tabular">{far(stray.distance)}</span> out
              </button>
              <span className="block text-[12px] text-soft">
                thrown at{" "}
                <button
                  type="button"
                  className="tabular text-brass hover:underline"
                  onClick={() => (session.playing.pause(), session.seek(stray.frame))}
                >
                  frame {stray.frame}
                </button>
                {", from "}
                <span className="tabular">{plain(Number(stray.before.toPrecision(3)))}</span> to{" "}
                <span className="tabular">{plain(Number(stray.after.toPrecision(3)))} m/s</span>
                <Cause collection={stray.collection} item={stray.item} />
              </span>
            </li>
          ))}
          {found.count > found.found.length && (
            <li className="px-1 text-soft">and {count(found.count - found.found.length)} more</li>
          )}
        </ul>
      )}
      {found && (
        <div className="mt-2 flex items-center gap-2">
          <button
            type="button"
            onClick={guard}
            className="shrink-0 rounded bg-ice/15 px-2 py-1 text-ice hover:bg-ice/25"
          >
            Guard the scene
          </button>
          <span className="text-[12px] text-soft">
            Removes whoever leaves a box of{" "}
            <span className="tabular">
              {found.size.map((side) => plain(Number(side.toPrecision(3)))).join(" × ")} m
            </span>
          </span>
        </div>
      )}
    </section>
  );
}

interface Found {
  count: number;
  beyond: number;
  furthest: number | null;
  furthest_distance: number;
}

function Told({ found }: { found: Found | undefined }) {
  if (!found) return <>Pause to see who is far out…</>;
  if (found.furthest === null) return <>There is nobody at this frame.</>;
  if (!found.count)
    return (
      <>
        Nobody is far out. The furthest, particle {count(found.furthest)}, is {far(found.furthest_distance)} from the
        middle of all; far would be beyond {far(found.beyond)}.
      </>
    );
  return (
    <>
      <b className="tabular">{count(found.count)}</b> {found.count === 1 ? "is" : "are"} more than {far(found.beyond)}{" "}
      from the middle of all.
    </>
  );
}

/** The rule, source or shape that threw it; click to go there. */
function Cause({ collection, item }: { collection: string | null; item: string | null }) {
  const session = useSession();
  const effect = useStudio((state) => state.document);
  const catalogue = useStudio((state) => state.catalogue);
  if (!collection || !item) return null;
  const list = listOf(effect, collection);
  const index = list.findIndex((entry) => entry.id === item);
  if (index < 0) return null;
  const name = collection === "rules" ? `rule ${ruleName(effect.rules, index, catalogue)}` : String(list[index]!.label);
  return (
    <>
      {collection === "shapes" ? " by touching " : collection === "sources" ? ", born from " : " by "}
      <button
        type="button"
        className="text-ice hover:underline"
        onClick={() => turnTo(session, collection, index, "center")}
      >
        {name}
      </button>
    </>
  );
}
