/** Whom the picked particle descends from and what came of it: a whole limb is chosen, removed, or grown otherwise from here. */

import { useQuery } from "@tanstack/react-query";
import { fetchBlock } from "@/api/client";
import { asWhole } from "@/api/block";
import { freshId, type Effect, type Node } from "@/state/document";
import { useRun, useSession, useStudio } from "@/state/use";
import { Button, Hint } from "@/ui/controls";
import { count } from "@/ui/numbers";

interface Head {
  generation: number | null;
  family: number;
  parent: number;
}

export function Descent({ particle, frame }: { particle: number; frame: number }) {
  const session = useSession();
  const trial = useRun((state) => state.trial);
  const chosen = useStudio((state) => state.chosen);
  const found = useQuery({
    queryKey: ["descent", trial?.key, trial?.id, frame, particle],
    queryFn: () => fetchBlock<Head>(`/api/trials/${trial!.id}/frames/${frame}/particles/${particle}/descent`),
    enabled: !!trial,
    retry: false,
  });
  if (!found.data || found.data.head.generation === null) return null;
  const { generation, family, parent } = found.data.head;
  const [limb, members] = [asWhole(found.data, "limb"), asWhole(found.data, "members")];
  if (generation === 0 && limb.length < 2) return null;
  const choose = (ids: Int32Array) => session.set({ chosen: new Set(ids) });
  const go = (to: number) => (
    <button
      type="button"
      className="tabular text-ice hover:underline"
      onClick={() => session.set({ particle: to, chosen: null })}
    >
      {count(to)}
    </button>
  );
  return (
    <section aria-label="Descent">
      <h4 className="mb-1 text-xs text-soft">Descent</h4>
      <p className="leading-6">
        Generation <span className="tabular">{generation}</span>
        {parent >= 0 && <>, born of {go(parent)}</>}
        {family !== particle && family !== parent && <>, first of the family {go(family)}</>}. Its limb has{" "}
        <span className="tabular">{count(limb.length)}</span>, its family{" "}
        <span className="tabular">{count(members.length)}</span>.
      </p>
      <div className="mt-1.5 flex flex-wrap gap-1.5">
        <Small onClick={() => choose(limb)} hint="Rings the particle and all that came of it and is still there.">
          Show its limb
        </Small>
        <Small onClick={() => choose(members)} hint="Rings all of the same first ancestor.">
          Show its family
        </Small>
        {chosen && (
          <Small onClick={() => session.set({ chosen: null })} hint="Rings nobody.">
            Show nobody
          </Small>
        )}
        <Small
          onClick={() => session.commit(redrawn(session.state.document, particle))}
          hint="New random numbers for this particle and all that comes of it; no other limb changes. Press again for another outcome."
        >
          Grow its limb otherwise
        </Small>
        <Small
          onClick={() => session.commit(pruned(session.state.document, particle))}
          hint="A rule that removes this particle at birth, so that nothing comes of it."
        >
          Remove its limb
        </Small>
      </div>
    </section>
  );
}

function Small({ hint, onClick, children }: { hint: string; onClick: () => void; children: string }) {
  return (
    <Hint text={hint}>
      <Button className="!px-2 !py-0.5 text-xs" onClick={onClick}>
        {children}
      </Button>
    </Hint>
  );
}

/** A rule on birth about one particle, before all others. */
function withRule(effect: Effect, particle: number, label: string, action: Node): Effect {
  const rule = {
    id: freshId(label, effect.rules),
    label,
    trigger: "birth",
    condition: {
      kind: "compare",
      quantity: { kind: "number" },
      comparison: "equal",
      threshold: { kind: "fixed", value: particle },
    },
    actions: [action],
  };
  return { ...effect, rules: [rule as unknown as Effect["rules"][number], ...effect.rules] };
}

/** The document in which a particle and its limb have other random numbers; pressed again, the next outcome of the same rule. */
export function redrawn(effect: Effect, particle: number): Effect {
  const label = `Limb of ${particle} otherwise`;
  const index = effect.rules.findIndex((rule) => rule.label === label);
  const rule = effect.rules[index];
  if (!rule) return withRule(effect, particle, label, { kind: "redraw", outcome: 1 });
  const actions = rule.actions.map((action) =>
    action.kind === "redraw" ? { ...action, outcome: (action.outcome ?? 1) + 1 } : action,
  );
  return { ...effect, rules: effect.rules.map((entry, at) => (at === index ? { ...rule, actions } : entry)) };
}

export const pruned = (effect: Effect, particle: number): Effect =>
  withRule(effect, particle, `Without the limb of ${particle}`, { kind: "remove", along: "alone" });
