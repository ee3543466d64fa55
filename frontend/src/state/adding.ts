/** Adding items: each starts as something visible and sensible, pointing at what is already there. */

import type { Catalogue, KindInfo } from "@/api/client";
import {
  freshId,
  freshLabel,
  grown,
  kindOf,
  listOf,
  made,
  same,
  type Json,
  type Collection,
  type Effect,
  type Node,
} from "./document";
import type { Session } from "./session";

/** Lists of what other sentences speak of by a name that somebody gave it. */
const NAMED: Collection[] = ["groups", "attributes"];

export interface Adder {
  add: (info?: KindInfo, change?: Node) => void;
}

/** Turns to an item: selects it and brings its card into view. */
export function turnTo(session: Session, collection: string, index: number, block: ScrollLogicalPosition = "nearest") {
  session.set({ selected: [collection, index] });
  const id = String(listOf(session.state.document, collection)[index]?.id);
  setTimeout(() => {
    document.querySelector(`[data-item="${collection}/${id}"]`)?.scrollIntoView({ block });
  }, 60);
}

export function adders(session: Session): Record<Collection, Adder> {
  const { catalogue } = session.state;
  const current = (): Effect => session.state.document;
  /** Commits a document that has grown by the last item of a collection, and turns to that. */
  const commit = (collection: Collection, effect: Effect) => {
    session.commit(effect);
    const added = listOf(effect, collection).at(-1);
    // What is known by its name alone is given one at once.
    if (NAMED.includes(collection)) session.set({ naming: `${collection}/${String(added?.id)}` });
    turnTo(session, collection, effect[collection].length - 1);
  };
  const push = (collection: Collection, item: Node, to = current()) => commit(collection, grown(to, collection, item));
  const named = (collection: Collection, base: string, rest: Node): Node => {
    const list = listOf(current(), collection);
    const label = freshLabel(base, list);
    return { id: freshId(label, list), label, ...rest };
  };
  /** A further look of the same particles begins in the colours of the one before, as far as it can have them. */
  const colours = (info: KindInfo, node: Node): Node => {
    const like = current().looks.findLast((look) => same(look.who as Json, node.who as Json));
    const layers = (like?.layers ?? []) as Node[];
    const takes = ({ kind }: Node) => {
      const only = kindOf(catalogue, "layer", kind)?.only_in ?? [];
      return only.length === 0 || only.includes(info.kind);
    };
    return "layers" in node ? { layers: structuredClone(layers.filter(takes)) } : {};
  };
  const part = (name: string): KindInfo => catalogue.parts[name]!;
  return {
    shapes: {
      add: (info, change = {}) => {
        // A mesh has to come from a file first; the import calls this again with what it read.
        if (info?.kind === "mesh" && !change.asset) document.getElementById("mesh-file")?.click();
        else if (info) {
          const node = made(info, current(), catalogue);
          push("shapes", { ...named("shapes", info.title, node), visible: true, ...change });
        }
      },
    },
    fields: { add: (info) => commit("fields", withField(catalogue, current(), info)) },
    dials: { add: () => commit("dials", withDial(catalogue, current(), {})) },
    groups: {
      add: () => push("groups", named("groups", "Group", { color: nextColour(catalogue, current()), parent: null })),
    },
    attributes: {
      add: () =>
        push("attributes", named("attributes", "My value", made(part("attribute"), current(), catalogue, false))),
    },
    sources: {
      add: (info) => {
        // A source needs a shape, and a group of its own; what is not there comes in the same step.
        let effect = withGroup(catalogue, current());
        if (!effect.shapes.length) effect = grown(effect, "shapes", firstShape(catalogue, effect));
        const node = made(part("source"), effect, catalogue, false);
        if (info) node.emission = made(info, effect, catalogue);
        push("sources", { ...named("sources", "Source", node), enabled: true, seed: 0 }, effect);
      },
    },
    rules: {
      add: () => {
        const node = made(part("rule"), current(), catalogue, false);
        push("rules", { ...named("rules", "New rule", node), enabled: true, condition: null });
      },
    },
    neighbourhoods: {
      add: () => {
        const node = made(part("neighbourhood"), current(), catalogue, false);
        push("neighbourhoods", named("neighbourhoods", "Surroundings", node));
      },
    },
    looks: {
      add: (info) => {
        if (!info) return;
        const node = made(info, current(), catalogue);
        push("looks", { id: freshId(info.kind, current().looks), enabled: true, ...node, ...colours(info, node) });
      },
    },
  };
}

/** The document with a box round the whole scene and a rule that removes whoever is outside it, at the end of all rules. */
export function guarded(catalogue: Catalogue, effect: Effect, middle: number[], size: number[]): Effect {
  const box = kindOf(catalogue, "shape", "box")!;
  const id = freshId("Guard", effect.shapes);
  const label = freshLabel("Guard", effect.shapes);
  const shape = { id, label, ...made(box, effect, catalogue), visible: false, position: middle, size };
  const grownBy = grown(effect, "shapes", shape);
  const keep = { ...made(kindOf(catalogue, "action", "keep")!, grownBy, catalogue), shape: id, side: "outside" };
  const rule = made(catalogue.parts.rule!, grownBy, catalogue, false);
  return grown(grownBy, "rules", {
    ...rule,
    id: freshId("Guard", effect.rules),
    label: freshLabel("Guard", effect.rules),
    enabled: true,
    condition: null,
    actions: [{ ...keep, response: "remove", id: "keep" }],
  });
}

const nextColour = (catalogue: Catalogue, effect: Effect): string => {
  const used = new Set(effect.groups.map((group) => group.color));
  return catalogue.group_colors.find((entry) => !used.has(entry)) ?? catalogue.group_colors[0]!;
};

/** The document with a group as its newest into which nobody comes yet, neither born nor by a rule. */
function withGroup(catalogue: Catalogue, effect: Effect): Effect {
  const entered = new Set<Json | undefined>();
  const visit = (node: Json): void => {
    if (node === null || typeof node !== "object") return;
    if (!Array.isArray(node)) entered.add(node.group);
    Object.values(node).forEach(visit);
  };
  visit(effect.sources as Json);
  visit(effect.rules as Json);
  const newest = effect.groups.at(-1);
  if (newest && !entered.has(newest.id)) return effect;
  const label = freshLabel("Particles", effect.groups);
  const group = { id: freshId(label, effect.groups), label, color: nextColour(catalogue, effect), parent: null };
  return grown(effect, "groups", group);
}

function firstShape(catalogue: Catalogue, effect: Effect): Node {
  const info = (catalogue.slots.shape ?? []).find((kind) => kind.kind === "ball")!;
  return { id: "ball", label: "Ball", visible: true, ...made(info, effect, catalogue), position: [0, 1, 0] };
}

/** A copy of an item behind it, under a name of its own. */
export function duplicated(effect: Effect, collection: Collection, index: number): Effect {
  const list = listOf(effect, collection);
  const item = list[index];
  if (!item) return effect;
  const copy: Node = { ...structuredClone(item), id: freshId(String(item.id), list) };
  if (item.label) copy.label = freshLabel(String(item.label), list);
  return grown(effect, collection, copy, index + 1);
}

/** The document with one more dial, which has this type, unit and value. */
export function withDial(catalogue: Catalogue, effect: Effect, given: Node): Effect {
  const info = catalogue.parts.dial!;
  const units = Object.keys(info.fields.find((field) => field.name === "unit")?.words ?? {});
  const label = freshLabel(given.type === "shape" ? "Chosen shape" : "Dial", effect.dials);
  const unit = units.includes(String(given.unit)) ? given.unit! : "";
  const id = freshId(label, effect.dials);
  const standard = given.value ?? null;
  return grown(effect, "dials", { id, label, ...made(info, effect, catalogue, false), standard, ...given, unit });
}

/** The document with one more field, on its newest shape; one is made where there is none. */
export function withField(catalogue: Catalogue, effect: Effect, info: KindInfo = catalogue.slots.field![0]!): Effect {
  const bare = effect.shapes.length === 0 && info.kind === "falloff";
  const whole = bare ? grown(effect, "shapes", firstShape(catalogue, effect)) : effect;
  const label = freshLabel("Field", whole.fields);
  const item: Node = { id: freshId(label, whole.fields), label, ...made(info, whole, catalogue) };
  // A combination begins with what there is to combine.
  if (info.kind === "combination") item.fields = whole.fields.slice(-2).map((field) => field.id);
  return grown(whole, "fields", item);
}
