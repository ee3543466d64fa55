/** What sentences say of other parts of the document: names, colours and kinds. It stays the same object as long as none of that
 * changes, so that a value that is dragged renders only where it stands. */

import { useMemo, useRef } from "react";
import { same, type Attribute, type Effect, type Node } from "@/state/document";
import { useStudio } from "@/state/use";

type Named = { id: string; label: string };

export interface Declared {
  clock: { frames_per_second: number; duration: number };
  dials: (Named & { type: string; unit: string; shape: string | null })[];
  shapes: (Named & { kind: string })[];
  fields: (Named & { kind: string })[];
  groups: (Named & { color: string })[];
  neighbourhoods: Named[];
  attributes: Attribute[];
  rules: Effect["rules"];
}

function declaredOf(effect: Effect): Declared {
  const { frames_per_second, duration } = effect.clock;
  const rules = effect.rules.map(({ id, label, trigger }) => ({ id, label, trigger }) as Effect["rules"][number]);
  return {
    clock: { frames_per_second, duration },
    dials: effect.dials.map(({ id, label, type, unit, shape }) => ({ id, label, type, unit, shape: shape ?? null })),
    shapes: effect.shapes.map(({ id, label, kind }) => ({ id, label, kind })),
    fields: effect.fields.map(({ id, label, kind }) => ({ id, label, kind })),
    groups: effect.groups.map(({ id, label, color }) => ({ id, label, color })),
    neighbourhoods: effect.neighbourhoods.map(({ id, label }) => ({ id, label })),
    attributes: effect.attributes,
    rules,
  };
}

export function useDeclared(): Declared {
  const effect = useStudio((state) => state.document);
  const last = useRef<Declared | null>(null);
  return useMemo(() => {
    const next = declaredOf(effect);
    const plain = (declared: Declared): Node => ({ ...declared }) as unknown as Node;
    // eslint-disable-next-line react-hooks/refs -- what was told last is told again where it means the same
    if (last.current && same(plain(last.current), plain(next))) return last.current;
    // eslint-disable-next-line react-hooks/refs
    last.current = next;
    return next;
  }, [effect]);
}
