/** Chips for one of several words, and for references to other parts of the document. */

import type { FieldInfo } from "@/api/client";
import { withDial } from "@/state/adding";
import { at, withValue, type Node, type Path } from "@/state/document";
import { curve, keysOf } from "@/state/keys";
import { lastFrame } from "@/state/run";
import { Menu, Popover } from "@/ui/controls";
import { attributes, useScore, type Surroundings } from "./context";
import type { Declared } from "./declared";
import { askForMesh } from "./meshFile";
import { ruleName } from "./numbering";
import { useSession } from "@/state/use";
import { refer } from "@/state/exchanging";

export function ChoiceChip({ field, value, path }: { field: FieldInfo; value: string; path: Path }) {
  const session = useSession();
  const words = field.words ?? {};
  const choose = (word: string) => {
    if (field.renews) return void refer(session, path, word);
    const led = field.opens?.[word];
    if (!led) return session.edit(path, word);
    // Straight from the beginning to the end: as it is without them.
    const document = session.state.document;
    const beside = [...path.slice(0, -1), led];
    const end = lastFrame(document) / Number(document.clock.frames_per_second);
    const keys =
      keysOf(at(document, beside)) ?? [0, end].map((time) => ({ at: time, value: time, ease: "linear" as const }));
    session.commit(withValue(withValue(document, path, word), beside, curve(keys)));
    session.set({ track: beside });
  };
  return (
    <Menu
      trigger={
        <button type="button" className="chip">
          {words[value] ?? value}
        </button>
      }
      entries={Object.entries(words).map(([word, text]) => ({
        label: text,
        hint: word === value ? "now" : "",
        onSelect: () => choose(word),
      }))}
    />
  );
}

interface Choice {
  id: string;
  label: string;
  color?: string;
}

export function choicesOf(to: string, { catalogue, effect, meshes }: Surroundings): Choice[] {
  const listed = (items: readonly Node[]) =>
    items.map((item) => ({
      id: item.id as string,
      label: item.label as string,
      color: item.color as string | undefined,
    }));
  if (to === "group") return listed(effect.groups);
  if (to === "shape")
    return [
      ...listed(effect.shapes),
      ...standing(effect).map(({ id, label }) => ({ id: `dial:${id}`, label: `${label} (dial)` })),
    ];
  if (to === "field") return listed(effect.fields);
  if (to === "rule")
    return effect.rules.map((rule, index) => ({
      id: rule.id as string,
      label: ruleName(effect.rules, index, catalogue),
    }));
  if (to === "dial") return listed(effect.dials.filter(({ type }) => type !== "shape"));
  if (to === "attribute")
    return attributes(catalogue, effect)
      .filter((info) => info.writable)
      .map(({ id, label }) => ({ id, label }));
  if (to === "neighbourhood") return listed(effect.neighbourhoods);
  if (to === "asset") return meshes.map((mesh) => ({ id: mesh.id, label: mesh.name }));
  return [];
}

/** Dials that stand for a shape, so that they can be named in its place. */
const standing = (effect: Declared) => effect.dials.filter(({ type, shape }) => type === "shape" && shape);

/** Whether the server has a say in what is named here: what others follow, and what could go round in a circle. */
const follows = (field: FieldInfo, path: Path): boolean =>
  field.to === "attribute" || ["shapes", "groups", "fields", "neighbourhoods"].includes(String(path[0]));

/** The item that a field is part of, where it could name that very item. */
function ownerOf(field: FieldInfo, path: Path, { effect }: Surroundings): string | null {
  if (path[0] !== `${field.to}s`) return null;
  return (effect[path[0] as "shapes"][Number(path[1])]?.id as string | undefined) ?? null;
}

export function GroupDot({ color }: { color: string | undefined }) {
  return color ? <span className="mr-1 inline-block size-2 rounded-full" style={{ background: color }} /> : null;
}

export function ReferenceChip({ field, value, path }: { field: FieldInfo; value: string | null; path: Path }) {
  const session = useSession();
  const score = useScore();
  // Nothing is offered to itself, nor what is of the wrong kind.
  const self = ownerOf(field, path, score);
  const kindsOf = new Map(score.effect.shapes.map((shape) => [shape.id as string, String(shape.kind)]));
  for (const { id, shape } of standing(score.effect)) kindsOf.set(`dial:${id}`, kindsOf.get(shape ?? "") ?? "");
  if (field.to === "attribute")
    attributes(score.catalogue, score.effect).forEach((info) => kindsOf.set(info.id, info.value_type));
  const fits = (id: string) =>
    id === value ||
    (id !== self && !field.but?.includes(id) && (!field.only || field.only.includes(kindsOf.get(id) ?? "")));
  const choices = choicesOf(field.to ?? "", score).filter((choice) => fits(choice.id));
  const present = choices.find((choice) => choice.id === value);
  // What others follow is changed with them: a value of the right type, unit and size.
  const put = (id: string | null) => (follows(field, path) ? void refer(session, path, id) : session.edit(path, id));
  const none = field.optional ? [{ label: field.optional, onSelect: () => put(null) }] : [];
  // A shape that several places name is exchanged in one, once they all name a dial.
  const byDial = () => {
    const { document, catalogue } = session.state;
    const grownBy = withDial(catalogue, document, { type: "shape", shape: value });
    session.commit(withValue(grownBy, path, `dial:${grownBy.dials.at(-1)!.id}`));
  };
  const plain =
    field.to === "shape" && path[0] !== "dials" && path[0] !== "shapes" && !!value && !value.startsWith("dial:");
  const throughDial = plain ? [{ label: "through a new dial", hint: "exchanged in one place", onSelect: byDial }] : [];
  const fromFile = field.to === "asset" ? [{ label: "from a file…", onSelect: () => askForMesh(put) }] : [];
  return (
    <Menu
      trigger={
        <button type="button" className={`chip ${!present && (value || !field.optional) ? "text-ember" : ""}`}>
          {field.to === "group" && <GroupDot color={present?.color} />}
          {present?.label ?? (value ? `missing: ${value.slice(0, 12)}` : (field.optional ?? "choose…"))}
        </button>
      }
      entries={[
        ...fromFile,
        ...none,
        ...choices.map((choice) => ({
          label: choice.label,
          hint: choice.id === value ? "now" : "",
          onSelect: () => choice.id !== value && put(choice.id),
        })),
        ...throughDial,
      ]}
    />
  );
}

/** Which of several things are meant: the groups of a rule or a look (none ticked means everyone), the shapes of a compound. */
export function ManyChip({ field, value, path }: { field: FieldInfo; value: string[]; path: Path }) {
  const session = useSession();
  const score = useScore();
  const self = ownerOf(field, path, score);
  const choices = choicesOf(field.to ?? "", score).filter((choice) => choice.id !== self || value.includes(choice.id));
  const none = typeof field.many === "string" ? field.many : "Everyone";
  const named = value.map((id) => choices.find((choice) => choice.id === id));
  const toggle = (id: string) => {
    const next = value.includes(id) ? value.filter((entry) => entry !== id) : [...value, id];
    return follows(field, path) ? void refer(session, path, next) : session.edit(path, next);
  };
  return (
    <Popover
      label={field.label}
      trigger={
        <button type="button" className="chip font-medium">
          {named.length === 0
            ? none
            : named.map((choice, index) => (
                <span key={index}>
                  {index > 0 && ", "}
                  <GroupDot color={choice?.color} />
                  {choice?.label ?? `missing ${field.to}`}
                </span>
              ))}
        </button>
      }
    >
      <p className="mb-2 text-xs text-soft">
        {field.help || `Which ${field.to}s.`}
        {field.to === "group" && " None ticked means everyone."}
      </p>
      {choices.map((choice) => (
        <label key={choice.id} className="flex cursor-pointer items-center gap-2 rounded px-1 py-1 hover:bg-ice/10">
          <input
            type="checkbox"
            className="accent-[var(--ice)]"
            checked={value.includes(choice.id)}
            onChange={() => toggle(choice.id)}
          />
          <GroupDot color={choice.color} />
          {choice.label}
        </label>
      ))}
    </Popover>
  );
}
