/** Who is around the picked particle: what it finds in each neighbourhood in which it looks. */

import { useSearch } from "@/score/searching";
import type { Neighbourhood } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { count, short } from "@/ui/numbers";

export function Around({ particle }: { particle: number }) {
  const hoods = useStudio((state) => state.document.neighbourhoods);
  if (hoods.length === 0) return null;
  return (
    <section aria-label="Who is around">
      <h4 className="mb-1 text-xs text-soft">Who is around, when the rules of this frame acted</h4>
      <ul>
        {hoods.map((hood, index) => (
          <Found key={hood.id} hood={hood} index={index} particle={particle} />
        ))}
      </ul>
    </section>
  );
}

function Found({ hood, index, particle }: { hood: Neighbourhood; index: number; particle: number }) {
  const session = useSession();
  const search = useSearch(hood.id, particle);
  if (!search) return null;
  const view = search.view;
  const nearest = view?.distances[0];
  return (
    <li className="border-b border-line/50 py-0.5">
      <div className="flex items-baseline justify-between gap-2">
        <button
          type="button"
          className="min-w-0 truncate text-left text-soft hover:text-ice"
          title="Draw it on the stage"
          onClick={() => session.set({ selected: ["neighbourhoods", index] })}
        >
          {hood.label}
        </button>
        <span className={`tabular shrink-0 text-[12px] ${view ? "" : "text-soft"}`}>
          {view ? `${count(view.count)} within ${short(view.reach)} m` : "does not look"}
        </span>
      </div>
      {nearest !== undefined && (
        <div className="flex justify-between pl-3 text-xs text-soft">
          <span>the nearest</span>
          <span className="tabular">{short(nearest)} m away</span>
        </div>
      )}
    </li>
  );
}
