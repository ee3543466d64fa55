/** Adding items: each starts as something visible and sensible, pointing at what is already there. */

import type { Catalogue, KindInfo } from "@/api/client";
import { freshId, freshLabel, made, type Collection, type Effect, type Json, type Node } from "@/state/document";
import { commit, useStudio } from "@/state/studio";

export interface Adder {
  add: (info?: KindInfo, change?: Node) => void;
}

export function adders(catalogue: Catalogue): Record<Collection, Adder> {
  const current = (): Effect => useStudio.getState().document!;
  /** Commits a document that has grown by the last item of a collection, and turns to that. */
  const grown = (collection: Collection, effect: Effect) => {
    const last = effect[collection].length - 1;
    commit(effect);
    useStudio.setState({ selected: [collection, last] });
    setTimeout(
      () =>
        document
          .querySelector(`[data-item="${collection}/${String(effect[collection][last]!.id)}"]`)
          ?.scrollIntoView({ block: "nearest", behavior: "smooth" }),
      60,
    );
  };
  const push = (collection: Collection, item: Node) => {
    const effect = current();
    grown(collection, { ...effect, [collection]: [...effect[collection], item] });
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
        else if (info)
          push("shapes", {
            ...named("shapes", info.title, made(info, current(), catalogue)),
            visible: true,
            ...change,
          });
      },
    },
    fields: { add: (info) => grown("fields", withField(catalogue, current(), info)) },
    dials: { add: () => grown("dials", withDial(catalogue, current(), {})) },
    groups: {
      add: () => {
        const used = new Set(current().groups.map((group) => group.color));
        const color = catalogue.group_colors.find((entry) => !used.has(entry)) ?? catalogue.group_colors[0]!;
        push("groups", named("groups", "Group", { color, parent: null }));
      },
    },
    attributes: {
      add: () =>
        push(
          "attributes",
          named("attributes", "My value", made(catalogue.parts.attribute!, current(), catalogue, false)),
        ),
    },
    sources: {
      add: () => {
        let effect = current();
        // A source needs a group and a shape; an effect without any gets one of each in the same step.
        if (!effect.groups.length)
          effect = {
            ...effect,
            groups: [{ id: "particles", label: "Particles", color: catalogue.group_colors[0]!, parent: null }],
          };
        if (!effect.shapes.length) effect = { ...effect, shapes: [firstShape(catalogue, effect)] };
        const item = {
          ...named("sources", "Source", made(catalogue.parts.source!, effect, catalogue, false)),
          enabled: true,
          seed: 0,
        };
        commit({ ...effect, sources: [...effect.sources, item as Node] });
        useStudio.setState({ selected: ["sources", effect.sources.length] });
      },
    },
    rules: {
      add: () =>
        push("rules", {
          ...named("rules", "New rule", made(catalogue.parts.rule!, current(), catalogue, false)),
          enabled: true,
          condition: null as Json,
        }),
    },
    looks: {
      add: (info) =>
        info &&
        push("looks", { id: freshId(info.kind, current().looks), enabled: true, ...made(info, current(), catalogue) }),
    },
  };
}

function firstShape(catalogue: Catalogue, effect: Effect): Node {
  const info = (catalogue.slots.shape ?? []).find((kind) => kind.kind === "ball")!;
  return { id: "ball", label: "Ball", visible: true, ...made(info, effect, catalogue), position: [0, 1, 0] };
}

/** The document with one more dial, which has this type, unit and value. */
export function withDial(catalogue: Catalogue, effect: Effect, given: Node): Effect {
  const info = catalogue.parts.dial!;
  const units = Object.keys(info.fields.find((field) => field.name === "unit")?.words ?? {});
  const label = freshLabel("Dial", effect.dials);
  const dial: Node = {
    id: freshId(label, effect.dials),
    label,
    ...made(info, effect, catalogue, false),
    ...given,
    unit: units.includes(String(given.unit)) ? given.unit! : "",
  };
  return { ...effect, dials: [...effect.dials, dial] };
}

/** The document with one more field, on its first shape; one is made where there is none. */
export function withField(catalogue: Catalogue, effect: Effect, info: KindInfo = catalogue.slots.field![0]!): Effect {
  const whole =
    effect.shapes.length || info.kind !== "falloff" ? effect : { ...effect, shapes: [firstShape(catalogue, effect)] };
  const label = freshLabel("Field", whole.fields);
  const item: Node = { id: freshId(label, whole.fields), label, ...made(info, whole, catalogue) };
  // A combination begins with what there is to combine.
  if (info.kind === "combination") item.fields = whole.fields.slice(-2).map((field) => field.id as string);
  return { ...whole, fields: [...whole.fields, item] };
}
