/** The score: the effect as sentences in the order in which it is evaluated. */

import { DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors, type DragEndEvent } from "@dnd-kit/core";
import { SortableContext, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { Plus } from "lucide-react";
import { useMemo, type ReactNode } from "react";
import { useQuery } from "@tanstack/react-query";
import { answered, api, type KindInfo } from "@/api/client";
import { kindOf, type Collection, type Effect, type Node } from "@/state/document";
import { commit, edit, useStudio } from "@/state/studio";
import { count } from "@/ui/numbers";
import { Actions } from "./Actions";
import { adders } from "./adding";
import { AllValues } from "./AllValues";
import { Card } from "./cards";
import { Chip } from "./Chip";
import { ColorLayers } from "./ColorLayers";
import { ScoreContext, useScore, type Surroundings } from "./context";
import { AddKind, Exchangeable, KindPicker, KindPopover } from "./KindPicker";
import { LinesTold } from "./LinesTold";
import { MeshImport } from "./MeshImport";
import { byKeys, collision, dropped } from "./dragging";
import { partOf, ruleNumbers } from "./numbering";
import { RuleCard } from "./RuleCard";
import { Sentence } from "./Sentence";

/** Space plays, also while a handle has the focus. */
const PICK_UP = { start: ["Enter"], end: ["Enter"], cancel: ["Escape"] };

export function Score() {
  const effect = useStudio((state) => state.document);
  const catalogue = useStudio((state) => state.catalogue);
  const meshes = useQuery({ queryKey: ["meshes"], queryFn: () => answered(api.GET("/api/assets")) });
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: byKeys, keyboardCodes: PICK_UP }),
  );
  const surroundings = useMemo<Surroundings | null>(
    () => (effect && catalogue ? { effect, catalogue, meshes: meshes.data ?? [], who: [], trigger: "each" } : null),
    [effect, catalogue, meshes.data],
  );
  if (!surroundings || !effect || !catalogue) return null;
  const drop = (event: DragEndEvent) => commit(dropped(effect, catalogue, event));
  return (
    <ScoreContext.Provider value={surroundings}>
      <DndContext
        sensors={sensors}
        collisionDetection={collision}
        onDragEnd={drop}
        accessibility={{
          screenReaderInstructions: {
            draggable: "Press Enter to pick up, arrows to move, Enter to put down, Escape to leave it.",
          },
        }}
      >
        <div className="pb-16">
          <Scene effect={effect} />
          <MeshImport />
          <FieldsAndDials effect={effect} />
          <Groups effect={effect} />
          <Births effect={effect} />
          <Rules effect={effect} />
          <Looks effect={effect} />
          <Picture effect={effect} />
        </div>
      </DndContext>
    </ScoreContext.Provider>
  );
}

interface PartProps {
  title: string;
  note: string;
  collection?: Collection;
  ids?: string[];
  add?: ReactNode;
  empty?: string;
  children: ReactNode;
}

/** A part of the score with its running head. */
function Part({ title, note, collection, ids, add, empty, children }: PartProps) {
  return (
    <section aria-label={title}>
      <header className="sticky top-0 z-[5] flex h-8 items-center gap-2 border-b border-line bg-panel/95 pl-6 pr-3 backdrop-blur">
        <h2 className="text-[12px] font-semibold">{title}</h2>
        <span className="flex-1 truncate text-xs text-soft">{note}</span>
        {add}
      </header>
      {collection && ids ? (
        <SortableContext items={ids.map((id) => `${collection}/${id}`)} strategy={verticalListSortingStrategy}>
          <ul>{children}</ul>
        </SortableContext>
      ) : (
        children
      )}
      {empty && ids?.length === 0 && <p className="border-b border-line/60 py-3 pl-6 pr-4 text-soft">{empty}</p>}
    </section>
  );
}

interface AddProps {
  label: string;
  onAdd: (info?: KindInfo) => void;
  /** Which slot's kinds to choose from; without, there is only one thing to add. */
  slot?: string;
}

function AddButton({ label, onAdd, slot }: AddProps) {
  const button = (
    <button
      type="button"
      aria-label={`Add ${label}`}
      onClick={slot ? undefined : () => onAdd()}
      className="flex items-center gap-0.5 rounded px-1.5 py-0.5 text-xs text-soft hover:bg-raised hover:text-ice"
    >
      <Plus className="size-3.5" />
      {label}
    </button>
  );
  return slot ? (
    <KindPopover slot={slot} path={[`${slot}s`]} label={`Add ${label}`} onChoose={onAdd} trigger={button} />
  ) : (
    button
  );
}

const ids = (items: Node[]): string[] => items.map((item) => String(item.id));

function Scene({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const add = adders(catalogue);
  const clock = catalogue.parts.clock as KindInfo;
  return (
    <Part
      title="Scene"
      note="what there is, read first"
      collection="shapes"
      ids={ids(effect.shapes)}
      add={
        <>
          {effect.dials.length === 0 && <AddButton label="dial" onAdd={() => add.dials.add()} />}
          {effect.fields.length === 0 && <AddButton label="field" slot="field" onAdd={add.fields.add} />}
          <AddButton label="shape" slot="shape" onAdd={add.shapes.add} />
        </>
      }
    >
      <li
        className="group/card border-b border-line/60 py-[3px] pl-6 pr-3 leading-[1.6] text-text/85"
        onClick={() => useStudio.setState({ selected: ["clock"] })}
      >
        <span className="float-right -mt-0.5 opacity-0 focus-within:opacity-100 group-hover/card:opacity-100">
          <AllValues info={clock} node={effect.clock} path={["clock"]} label="Clock" />
        </span>
        <span className="mr-2 font-medium text-text">Clock</span>
        <Sentence info={clock} node={effect.clock} path={["clock"]} whole />
      </li>
      {effect.shapes.map((shape, index) => {
        const info = kindOf(catalogue, "shape", shape.kind);
        if (!info) return null;
        const extra = [
          {
            label: shape.visible === false ? "Show on the stage" : "Hide on the stage",
            onSelect: () => edit(["shapes", index, "visible"], shape.visible === false),
          },
        ];
        return (
          <Card key={String(shape.id)} collection="shapes" item={shape} index={index} info={info} extra={extra} compact>
            {shape.kind === "mesh" ? (
              <span className="text-soft">{info.title.toLowerCase()}</span>
            ) : (
              <KindPicker
                slot="shape"
                path={["shapes", index]}
                label={`Kind of ${String(shape.label)}`}
                words={info.title.toLowerCase()}
                present={info.kind}
              />
            )}{" "}
            <Sentence info={info} node={shape} path={["shapes", index]} whole />
            {shape.visible === false && <span className="text-soft">, outlined only</span>}
          </Card>
        );
      })}
    </Part>
  );
}

function FieldsAndDials({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const add = adders(catalogue);
  return (
    <>
      {effect.fields.length > 0 && (
        <Part
          title="Fields"
          note="0 to 1 at every place"
          collection="fields"
          ids={ids(effect.fields)}
          add={<AddButton label="field" slot="field" onAdd={add.fields.add} />}
        >
          {effect.fields.map((field, index) => {
            const info = kindOf(catalogue, "field", field.kind);
            return (
              info && (
                <Card key={String(field.id)} collection="fields" item={field} index={index} info={info} compact>
                  <KindPicker
                    slot="field"
                    path={["fields", index]}
                    label={`Kind of ${String(field.label)}`}
                    words={info.title}
                    present={info.kind}
                  />
                  : <Sentence info={info} node={field} path={["fields", index]} whole />
                </Card>
              )
            );
          })}
        </Part>
      )}
      {effect.dials.length > 0 && (
        <Part
          title="Dials"
          note="values used in many places"
          collection="dials"
          ids={ids(effect.dials)}
          add={<AddButton label="dial" onAdd={() => add.dials.add()} />}
        >
          {effect.dials.map((dial, index) => (
            <Card
              key={String(dial.id)}
              collection="dials"
              item={dial}
              index={index}
              info={catalogue.parts.dial as KindInfo}
              compact
            >
              <DialValue dial={dial} index={index} />
            </Card>
          ))}
        </Part>
      )}
    </>
  );
}

/** A dial's value, edited as its type says. */
function DialValue({ dial, index }: { dial: Node; index: number }) {
  const { catalogue } = useScore();
  const info = catalogue.parts.dial as KindInfo;
  const value = info.fields.find((field) => field.name === "value")!;
  const typed = { ...value, type: String(dial.type), unit: String(dial.unit), soft: null };
  return <Chip field={typed} parent={dial} path={["dials", index, "value"]} />;
}

function Groups({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const add = adders(catalogue);
  const info = catalogue.parts.group as KindInfo;
  const own = catalogue.parts.attribute as KindInfo;
  const frame = useStudio((state) => state.frame);
  const population = useStudio((state) => state.stats[frame]?.population);
  return (
    <>
      <Part
        title="Groups"
        note="the states a particle can be in"
        collection="groups"
        ids={ids(effect.groups)}
        add={
          <>
            {effect.attributes.length === 0 && <AddButton label="attribute" onAdd={() => add.attributes.add()} />}
            <AddButton label="group" onAdd={() => add.groups.add()} />
          </>
        }
      >
        {effect.groups.map((group, index) => (
          <Card
            key={String(group.id)}
            collection="groups"
            item={group}
            index={index}
            info={info}
            compact
            mark={
              <input
                type="color"
                aria-label={`Colour of ${String(group.label)}`}
                value={String(group.color)}
                onChange={(event) => edit(["groups", index, "color"], event.target.value)}
                className="-my-[5px] -mr-[5px] size-6 cursor-pointer appearance-none rounded-full border-0 bg-transparent p-0 [&::-webkit-color-swatch-wrapper]:p-[5px] [&::-webkit-color-swatch]:rounded-full [&::-webkit-color-swatch]:border-0"
              />
            }
            aside={
              <span className="tabular text-xs text-soft">
                {population ? count(population[String(group.id)] ?? 0) : ""}
              </span>
            }
          />
        ))}
      </Part>
      {effect.attributes.length > 0 && (
        <Part
          title="Attributes"
          note="values of your own"
          collection="attributes"
          ids={ids(effect.attributes)}
          add={<AddButton label="attribute" onAdd={() => add.attributes.add()} />}
        >
          {effect.attributes.map((attribute, index) => (
            <Card
              key={String(attribute.id)}
              collection="attributes"
              item={attribute}
              index={index}
              info={own}
              compact
            />
          ))}
        </Part>
      )}
    </>
  );
}

function Births({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const info = catalogue.parts.source as KindInfo;
  const chosen = useStudio((state) => (state.selected?.[0] === "sources" ? Number(state.selected[1]) : -1));
  return (
    <Part
      title="Births"
      note="sources, top to bottom"
      collection="sources"
      ids={ids(effect.sources)}
      add={<AddButton label="source" onAdd={() => adders(catalogue).sources.add()} />}
      empty="No source yet, so there is nothing to see. Add one: it starts on the first shape."
    >
      {effect.sources.map((source, index) => {
        const off = source.enabled === false;
        const group = effect.groups.find((entry) => entry.id === source.group);
        const extra = [
          { label: off ? "Switch on" : "Switch off", onSelect: () => edit(["sources", index, "enabled"], off) },
        ];
        return (
          <Card
            key={String(source.id)}
            collection="sources"
            item={source}
            index={index}
            info={info}
            off={off}
            extra={extra}
            mark={
              <span className="size-2 rounded-full" style={{ background: String(group?.color ?? "transparent") }} />
            }
          >
            <Sentence info={info} node={source} path={["sources", index]} whole />
            {((source.actions ?? []) as Node[]).length > 0 && <div className="text-soft">then, on birth,</div>}
            <Actions actions={(source.actions ?? []) as Node[]} path={["sources", index, "actions"]} />
            {chosen === index && <AddKind slot="action" path={["sources", index, "actions"]} label="done on birth" />}
          </Card>
        );
      })}
    </Part>
  );
}

const PARTS = [
  { title: "On birth", note: "as they come into being", add: false },
  { title: "Rules", note: "top to bottom: ↝ on the way, → at the end of the step", add: true },
  { title: "On contact", note: "where they touch, on the way", add: false },
  { title: "Leaving", note: "as they die or are removed", add: false },
];

/** Rules by the part of the step in which they act, numbered as they are read. */
function Rules({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const info = catalogue.parts.rule as KindInfo;
  const add = adders(catalogue);
  const numbers = ruleNumbers(effect.rules, catalogue);
  return (
    <>
      {PARTS.map((part, place) => {
        const members = effect.rules
          .map((rule, index) => ({ rule, index }))
          .filter(({ rule }) => partOf(rule, catalogue) === place);
        if (members.length === 0 && !part.add) return null;
        return (
          <Part
            key={part.title}
            title={part.title}
            note={part.note}
            collection="rules"
            ids={members.map(({ rule }) => String(rule.id))}
            add={part.add && <AddButton label="rule" onAdd={() => add.rules.add()} />}
            empty={
              part.add
                ? "No rules yet: particles fly straight on. Add one to make them fall, change or bounce."
                : undefined
            }
          >
            {members.map(({ rule, index }) => (
              <RuleCard key={String(rule.id)} rule={rule} index={index} number={numbers[index]!} info={info} />
            ))}
          </Part>
        );
      })}
    </>
  );
}

function Looks({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const add = adders(catalogue);
  const chosen = useStudio((state) => (state.selected?.[0] === "looks" ? Number(state.selected[1]) : -1));
  return (
    <Part
      title="Looks"
      note="how each group is drawn"
      collection="looks"
      ids={ids(effect.looks)}
      add={<AddButton label="look" slot="look" onAdd={add.looks.add} />}
      empty="No look yet: particles are drawn as dots in the colour of their group."
    >
      {effect.looks.map((look, index) => {
        const info = kindOf(catalogue, "look", look.kind);
        if (!info) return null;
        const off = look.enabled === false;
        return (
          <Card
            key={String(look.id)}
            collection="looks"
            item={{ ...look }}
            index={index}
            info={info}
            off={off}
            extra={[
              { label: off ? "Switch on" : "Switch off", onSelect: () => edit(["looks", index, "enabled"], off) },
            ]}
            compact
          >
            <Sentence
              info={info}
              node={look}
              path={["looks", index]}
              wrapOnce
              wrapWords={(text) => (
                <Exchangeable
                  slot="look"
                  path={["looks", index]}
                  label="Kind of look"
                  text={text}
                  present={info.kind}
                />
              )}
              whole
            />
            <ColorLayers
              layers={(look.layers ?? []) as Node[]}
              path={["looks", index, "layers"]}
              chosen={chosen === index}
            />
            <LinesTold look={look} path={["looks", index]} />
          </Card>
        );
      })}
    </Part>
  );
}

/** How the effect is seen in a finished picture. */
function Picture({ effect }: { effect: Effect }) {
  const { catalogue } = useScore();
  const info = catalogue.parts.picture as KindInfo;
  const picturing = useStudio((state) => state.picturing);
  const see = (
    <button
      type="button"
      aria-pressed={picturing}
      onClick={() => useStudio.setState({ picturing: !picturing })}
      className={`rounded px-1.5 py-0.5 text-xs ${picturing ? "bg-ice/15 text-ice" : "text-soft hover:bg-raised hover:text-ice"}`}
    >
      {picturing ? "back to the stage" : "see it"}
    </button>
  );
  return (
    <Part title="Picture" note="camera, lens and glow of stills and clips" add={see}>
      <div
        data-item="picture"
        className="group/card border-b border-line/60 py-[3px] pl-6 pr-3 leading-[1.6] text-text/85"
        onClick={() => useStudio.setState({ selected: ["picture"] })}
      >
        <span className="float-right -mt-0.5 opacity-0 focus-within:opacity-100 group-hover/card:opacity-100">
          <AllValues info={info} node={effect.picture} path={["picture"]} label="Picture" />
        </span>
        <Sentence info={info} node={effect.picture} path={["picture"]} whole />
      </div>
    </Part>
  );
}
