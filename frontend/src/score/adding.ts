/** Adding items: each starts as something visible and sensible, pointing at what is already there. */

import type { Catalogue, KindInfo } from "@/api/client";
import { freshId, freshLabel, made, type Collection, type Effect, type Json, type Node } from "@/state/document";
import { commit, useStudio } from "@/state/studio";

export interface Adder {
  add: (info?: KindInfo, change?: Node) => void;
}

export function adders(catalogue: Catalogue): Record<Collection, Adder> {
  const current = (): Effect => useStudio.getState().document!;
  const push = (collection: Collection, item: Node) => {
    const effect = current();
    const list = [...effect[collection], item];
    commit({ ...effect, [collection]: list });
    useStudio.setState({ selected: [collection, list.length - 1] });
    setTimeout(() => document.querySelector(`[data-item="${collection}/${String(item.id)}"]`)?.scrollIntoView({ block: "nearest", behavior: "smooth" }), 60);
  };
  const named = (collection: Collection, base: string, rest: Node): Node => {
    const list = current()[collection];
    const label = freshLabel(base, list);
    return { id: freshId(label, list), label, ...rest };
  };
  return {
    shapes: {
      add: (info, change = {}) => {
        // A mesh has to come from a file first; the import calls this again with what it read.
        if (info?.kind === "mesh" && !change.asset) document.getElementById("mesh-file")?.click();
        else if (info) push("shapes", { ...named("shapes", info.title, made(info, current())), visible: true, ...change });
      },
    },
    fields: {
      add: (info) => {
        let effect = current();
        // A field needs a shape; an effect without any gets a ball in the same step.
        if (!effect.shapes.length) commit((effect = { ...effect, shapes: [firstShape(catalogue, effect)] }));
        if (info) push("fields", named("fields", "Field", made(info, effect)));
      },
    },
    dials: { add: () => push("dials", named("dials", "Dial", made(catalogue.parts.dial!, current(), false))) },
    groups: {
      add: () => {
        const used = new Set(current().groups.map((group) => group.color));
        const color = catalogue.group_colors.find((entry) => !used.has(entry)) ?? catalogue.group_colors[0]!;
        push("groups", named("groups", "Group", { color, parent: null }));
      },
    },
    attributes: { add: () => push("attributes", named("attributes", "My number", made(catalogue.parts.attribute!, current(), false))) },
    sources: {
      add: () => {
        let effect = current();
        // A source needs a group and a shape; an effect without any gets one of each in the same step.
        if (!effect.groups.length) effect = { ...effect, groups: [{ id: "particles", label: "Particles", color: catalogue.group_colors[0]!, parent: null }] };
        if (!effect.shapes.length) effect = { ...effect, shapes: [firstShape(catalogue, effect)] };
        const item = { ...named("sources", "Source", made(catalogue.parts.source!, effect, false)), enabled: true, seed: 0 };
        commit({ ...effect, sources: [...effect.sources, item as Node] });
        useStudio.setState({ selected: ["sources", effect.sources.length] });
      },
    },
    rules: {
      add: () => push("rules", { ...named("rules", "New rule", made(catalogue.parts.rule!, current(), false)), enabled: true, condition: null as Json }),
    },
    looks: {
      add: (info) => info && push("looks", { id: freshId(info.kind, current().looks), enabled: true, ...made(info, current()) }),
    },
  };
}

function firstShape(catalogue: Catalogue, effect: Effect): Node {
  const info = (catalogue.slots.shape ?? []).find((kind) => kind.kind === "ball")!;
  return { id: "ball", label: "Ball", visible: true, ...made(info, effect), position: [0, 1, 0] };
}
