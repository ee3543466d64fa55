/** What dragging in the score means: items change places in their list, actions also go from branch to branch. */

import {
  closestCenter,
  type Announcements,
  type CollisionDetection,
  type DragEndEvent,
  type KeyboardCoordinateGetter,
  type UniqueIdentifier,
} from "@dnd-kit/core";
import { sortableKeyboardCoordinates } from "@dnd-kit/sortable";
import type { Catalogue } from "@/api/client";
import {
  at,
  kindOf,
  listOf,
  moved,
  nameOf,
  withValue,
  wordFor,
  type Collection,
  type Effect,
  type Node,
  type Path,
} from "@/state/document";
import { placesOf } from "./standing";

export const deedId = (path: Path, index: number): string => `deed:${[...path, index].join("/")}`;
export const listId = (path: Path): string => `list:${path.join("/")}`;

const isDeed = (id: unknown): boolean => String(id).startsWith("deed:");
const parsed = (id: string): Path =>
  id
    .slice(id.indexOf(":") + 1)
    .split("/")
    .map((key) => (/^\d+$/.test(key) ? Number(key) : key));

/** Actions are dropped on actions and into lists of them, items on items of their own list. */
function fits(active: UniqueIdentifier, over: UniqueIdentifier): boolean {
  if (isDeed(active)) return isDeed(over) || String(over).startsWith("list:");
  return String(over).split("/")[0] === String(active).split("/")[0];
}

export const collision: CollisionDetection = (given) =>
  closestCenter({
    ...given,
    droppableContainers: given.droppableContainers.filter((container) => fits(given.active.id, container.id)),
  });

/** By the arrow keys from one place to the next of those where it may be dropped. */
export const byKeys: KeyboardCoordinateGetter = (event, { active, currentCoordinates, context }) => {
  const all = context.droppableContainers;
  const some = {
    get: (id: UniqueIdentifier) => all.get(id),
    getEnabled: () => all.getEnabled().filter((container) => fits(active, container.id)),
  };
  return sortableKeyboardCoordinates(event, {
    active,
    currentCoordinates,
    context: { ...context, droppableContainers: some as unknown as typeof all },
  });
};

/** The document after something has been dropped; the same one where that means nothing. */
export function dropped(effect: Effect, catalogue: Catalogue, { active, over }: DragEndEvent): Effect {
  if (!over || active.id === over.id) return effect;
  return isDeed(active.id)
    ? deedDropped(effect, catalogue, parsed(String(active.id)), parsed(String(over.id)), isDeed(over.id))
    : itemDropped(effect, String(active.id), String(over.id));
}

function itemDropped(effect: Effect, active: string, over: string): Effect {
  const [collection, from] = active.split("/") as [Collection, string];
  const [target, to] = over.split("/");
  if (collection !== target) return effect;
  const list = listOf(effect, collection);
  const place = (id: string | undefined) => list.findIndex((item) => item.id === id);
  return withValue(effect, [collection], moved(list, place(from), place(to)));
}

function deedDropped(effect: Effect, catalogue: Catalogue, from: Path, to: Path, ontoDeed: boolean): Effect {
  const source = from.slice(0, -1);
  const target = ontoDeed ? to.slice(0, -1) : to;
  const deed = at(effect, from) as Node | undefined;
  const info = deed && kindOf(catalogue, "action", deed.kind);
  if (!deed || !info || !placesOf(effect, catalogue, target).every((place) => info.places?.includes(place)))
    return effect;
  const there = ((at(effect, target) ?? []) as Node[]).slice();
  const index = Number(from.at(-1));
  if (source.join("/") === target.join("/"))
    return withValue(effect, source, moved(there, index, ontoDeed ? Number(to.at(-1)) : there.length - 1));
  there.splice(ontoDeed ? Number(to.at(-1)) : there.length, 0, deed);
  const left = ((at(effect, source) ?? []) as Node[]).filter((_, other) => other !== index);
  return withValue(withValue(effect, source, left), target, there);
}

/** What a screen reader is told while something is moved, by the names of things. */
export function announcing(of: () => { document: Effect; catalogue: Catalogue }): Announcements {
  const named = (id: UniqueIdentifier): string => {
    const { document, catalogue } = of();
    if (String(id).startsWith("list:")) return "the end of these actions";
    if (isDeed(id)) return kindOf(catalogue, "action", (at(document, parsed(String(id))) as Node)?.kind)?.title ?? "it";
    const [collection, item] = String(id).split("/") as [Collection, string];
    const list = listOf(document, collection);
    const index = list.findIndex((one) => one.id === item);
    return index < 0 ? "it" : nameOf(list[index]!, wordFor(catalogue, collection), index);
  };
  // An action is called by its place, which another has once it is put down: the name is the one that was picked up.
  let mine = "";
  return {
    onDragStart: ({ active }) => `${(mine = named(active.id))} is picked up`,
    onDragOver: ({ active, over }) => {
      if (!over) return undefined;
      return over.id === active.id
        ? `${mine} is picked up, at its own place`
        : `${mine} goes to the place of ${named(over.id)}`;
    },
    onDragEnd: () => `${mine} is put down`,
    onDragCancel: () => `${mine} stays where it was`,
  };
}
