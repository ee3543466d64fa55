/** Whom the picked particle descends from and what came of it: a whole limb is chosen, removed, or grown otherwise from here. */

import { useQuery } from "@tanstack/react-query";
import { fetchBlock } from "@/api/client";
import { asWhole } from "@/api/block";
import { at, freshId, grown, kindOf, made, withValue, type Effect, type Node } from "@/state/document";
import type { Session } from "@/state/session";
import { useRun, useSession, useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";
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
    // What is said of it stays until there is more to say: its buttons are pressed several times in a row.
    placeholderData: (before, query) => (query?.queryKey.at(-1) === particle ? before : undefined),
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
      <p className="text-soft">
        Ring{" "}
        <Small onClick={() => choose(limb)} hint="The particle and all that came of it and is still there.">
          its limb
        </Small>
        <Small onClick={() => choose(members)} hint="All of the same first ancestor.">
          its family
        </Small>
        {chosen && (
          <Small onClick={() => session.set({ chosen: null })} hint="Nobody is ringed any more.">
            nobody
          </Small>
        )}
      </p>
      <p className="text-soft">
        Its limb
        <Small
          onClick={() => session.commit(redrawn(session, particle))}
          hint="New random numbers for this particle and all that comes of it; no other limb changes. Press again for another outcome."
        >
          grow otherwise
        </Small>
        <Small
          onClick={() => session.commit(pruned(session, particle))}
          hint="A rule that removes this particle at birth, so that nothing comes of it."
        >
          leave out
        </Small>
      </p>
    </section>
  );
}

function Small({ hint, onClick, children }: { hint: string; onClick: () => void; children: string }) {
  return (
    <Hint text={hint}>
      <button type="button" className="rounded px-1.5 text-ice hover:bg-raised" onClick={onClick}>
        {children}
      </button>
    </Hint>
  );
}

/** A rule on birth about one particle, before all others. */
function withRule(session: Session, particle: number, label: string, action: Node): Effect {
  const { catalogue, document: effect } = session.state;
  const whole = (slot: string, kind: string, given: Node): Node => ({
    ...made(kindOf(catalogue, slot, kind)!, effect, catalogue),
    ...given,
  });
  const condition = whole("condition", "compare", {
    quantity: whole("quantity", "number", {}),
    comparison: "equal",
    threshold: whole("amount", "fixed", { value: particle }),
  });
  const rule: Node = {
    ...made(catalogue.parts.rule!, effect, catalogue, false),
    id: freshId(label, effect.rules),
    label,
    enabled: true,
    trigger: "birth",
    condition,
    actions: [whole("action", String(action.kind), action)],
  };
  return grown(effect, "rules", rule, 0);
}

/** The document in which a particle and its limb have other random numbers; asked for again, the next outcome of the same rule. */
function redrawn(session: Session, particle: number): Effect {
  const label = `Limb of ${particle} otherwise`;
  const { document: effect } = session.state;
  const index = effect.rules.findIndex((rule) => rule.label === label);
  const rule = effect.rules[index];
  if (!rule) return withRule(session, particle, label, { kind: "redraw" });
  const place = rule.actions.findIndex((action) => action.kind === "redraw");
  const outcome = at(effect, ["rules", index, "actions", place, "outcome"]);
  return withValue(effect, ["rules", index, "actions", place, "outcome"], Number(outcome ?? 0) + 1);
}

const pruned = (session: Session, particle: number): Effect =>
  withRule(session, particle, `Without the limb of ${particle}`, { kind: "remove" });
