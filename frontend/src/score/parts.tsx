/** The parts of the score, each following its own list of the document: what is edited renders, nothing else. */

import type { ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { adders, type Adder } from "@/state/adding";
import type { Collection } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { AllValues } from "./AllValues";
import { AttributeItem, DialItem, FieldItem, GroupItem, LookItem, ShapeItem, SourceItem } from "./items";
import { NeighbourhoodItem } from "./NeighbourhoodItem";
import { partOf, ruleNumbers } from "./numbering";
import { AddButton, Part } from "./Part";
import { RuleCard } from "./RuleCard";
import { Sentence } from "./Sentence";

const idsOf = (items: readonly { id: string }[]): string[] => items.map((item) => item.id);

/** Adds to a collection, by the session as it is then. */
function useAdder(collection: Collection): Adder["add"] {
  const session = useSession();
  return (info) => adders(session)[collection].add(info);
}

const usePartInfo = (name: string): KindInfo => useStudio((state) => state.catalogue.parts[name]!);

export function Scene() {
  const shapes = useStudio((state) => state.document.shapes);
  const bare = useStudio((state) => state.document.dials.length === 0);
  const fieldless = useStudio((state) => state.document.fields.length === 0);
  const [addShape, addField, addDial] = [useAdder("shapes"), useAdder("fields"), useAdder("dials")];
  const add = (
    <>
      {bare && <AddButton label="dial" onAdd={addDial} />}
      {fieldless && <AddButton label="field" slot="field" onAdd={addField} />}
      <AddButton label="shape" slot="shape" onAdd={addShape} />
    </>
  );
  return (
    <Part title="Scene" note="what there is, read first" collection="shapes" ids={idsOf(shapes)} add={add}>
      <ClockItem />
      {shapes.map((shape, index) => (
        <ShapeItem key={shape.id} shape={shape} index={index} />
      ))}
    </Part>
  );
}

function ClockItem() {
  const clock = useStudio((state) => state.document.clock);
  const info = usePartInfo("clock");
  return (
    <Single as="li" name="clock">
      <span className="float-right opacity-0 focus-within:opacity-100 group-hover/card:opacity-100">
        <AllValues info={info} node={clock} path={["clock"]} label="Clock" />
      </span>
      <span className="mr-2 font-medium text-text">Clock</span>
      <Sentence info={info} node={clock} path={["clock"]} whole />
    </Single>
  );
}

/** What there is one of, which is neither named nor moved. */
function Single({ as: Tag = "div", name, children }: { as?: "li" | "div"; name: string; children: ReactNode }) {
  const session = useSession();
  return (
    <Tag
      data-item={name}
      className="group/card border-b border-line/50 py-px pl-6 pr-2 leading-6 text-text/85"
      onClick={() => session.set({ selected: [name] })}
    >
      {children}
    </Tag>
  );
}

export function Fields() {
  const fields = useStudio((state) => state.document.fields);
  const add = useAdder("fields");
  if (fields.length === 0) return null;
  return (
    <Part
      title="Fields"
      note="0 to 1 at every place"
      collection="fields"
      ids={idsOf(fields)}
      add={<AddButton label="field" slot="field" onAdd={add} />}
    >
      {fields.map((field, index) => (
        <FieldItem key={field.id} field={field} index={index} />
      ))}
    </Part>
  );
}

export function Dials() {
  const dials = useStudio((state) => state.document.dials);
  const add = useAdder("dials");
  if (dials.length === 0) return null;
  return (
    <Part
      title="Dials"
      note="values used in many places"
      collection="dials"
      ids={idsOf(dials)}
      add={<AddButton label="dial" onAdd={add} />}
    >
      {dials.map((dial, index) => (
        <DialItem key={dial.id} dial={dial} index={index} />
      ))}
    </Part>
  );
}

export function Groups() {
  const groups = useStudio((state) => state.document.groups);
  const without = useStudio((state) => state.document.attributes.length === 0);
  const alone = useStudio((state) => state.document.neighbourhoods.length === 0);
  const [addGroup, addAttribute, addHood] = [useAdder("groups"), useAdder("attributes"), useAdder("neighbourhoods")];
  const add = (
    <>
      {alone && <AddButton label="neighbourhood" onAdd={addHood} />}
      {without && <AddButton label="attribute" onAdd={addAttribute} />}
      <AddButton label="group" onAdd={addGroup} />
    </>
  );
  return (
    <Part title="Groups" note="the states a particle can be in" collection="groups" ids={idsOf(groups)} add={add} pairs>
      {groups.map((group, index) => (
        <GroupItem key={group.id} group={group} index={index} />
      ))}
    </Part>
  );
}

export function Neighbourhoods() {
  const hoods = useStudio((state) => state.document.neighbourhoods);
  const add = useAdder("neighbourhoods");
  if (hoods.length === 0) return null;
  return (
    <Part
      title="Neighbourhoods"
      note="who looks among whom"
      collection="neighbourhoods"
      ids={idsOf(hoods)}
      add={<AddButton label="neighbourhood" onAdd={add} />}
    >
      {hoods.map((hood, index) => (
        <NeighbourhoodItem key={hood.id} hood={hood} index={index} />
      ))}
    </Part>
  );
}

export function OwnAttributes() {
  const attributes = useStudio((state) => state.document.attributes);
  const add = useAdder("attributes");
  if (attributes.length === 0) return null;
  return (
    <Part
      title="Attributes"
      note="values of your own"
      collection="attributes"
      ids={idsOf(attributes)}
      add={<AddButton label="attribute" onAdd={add} />}
    >
      {attributes.map((attribute, index) => (
        <AttributeItem key={attribute.id} attribute={attribute} index={index} />
      ))}
    </Part>
  );
}

export function Births() {
  const sources = useStudio((state) => state.document.sources);
  const add = useAdder("sources");
  return (
    <Part
      title="Births"
      note="sources, top to bottom"
      collection="sources"
      ids={idsOf(sources)}
      add={<AddButton label="source" slot="emission" onAdd={add} />}
      empty="No source yet, so there is nothing to see. Add one: it starts on the newest shape."
    >
      {sources.map((source, index) => (
        <SourceItem key={source.id} source={source} index={index} />
      ))}
    </Part>
  );
}

const STEPS = [
  { title: "On birth", note: "as they come into being", add: false },
  { title: "Rules", note: "↝ on the way, → at the end of the step", add: true },
  { title: "On contact", note: "where they touch, on the way", add: false },
  { title: "Leaving", note: "as they die or are removed", add: false },
];

/** Rules by the part of the step in which they act, numbered as they are read. */
export function Rules() {
  const rules = useStudio((state) => state.document.rules);
  const catalogue = useStudio((state) => state.catalogue);
  const info = usePartInfo("rule");
  const add = useAdder("rules");
  const numbers = ruleNumbers(rules, catalogue);
  return STEPS.map((part, place) => {
    const members = rules
      .map((rule, index) => ({ rule, index }))
      .filter(({ rule }) => partOf(rule, catalogue) === place);
    if (members.length === 0 && !part.add) return null;
    return (
      <Part
        key={part.title}
        title={part.title}
        note={part.note}
        collection="rules"
        ids={members.map(({ rule }) => rule.id)}
        add={part.add && <AddButton label="rule" onAdd={add} />}
        empty={
          part.add ? "No rules yet: particles fly straight on. Add one to make them fall, change or bounce." : undefined
        }
      >
        {members.map(({ rule, index }) => (
          <RuleCard key={rule.id} rule={rule} index={index} number={numbers[index]!} info={info} />
        ))}
      </Part>
    );
  });
}

export function Looks() {
  const looks = useStudio((state) => state.document.looks);
  const add = useAdder("looks");
  return (
    <Part
      title="Looks"
      note="how each group is drawn"
      collection="looks"
      ids={idsOf(looks)}
      add={<AddButton label="look" slot="look" onAdd={add} />}
      empty="No look yet: particles are drawn as dots in the colour of their group."
    >
      {looks.map((look, index) => (
        <LookItem key={look.id} look={look} index={index} />
      ))}
    </Part>
  );
}

/** How the effect is seen in a finished picture. */
export function PictureSettings() {
  const session = useSession();
  const picture = useStudio((state) => state.document.picture);
  const picturing = useStudio((state) => state.picturing);
  const info = usePartInfo("picture");
  const tone = picturing ? "bg-ice/15 text-ice" : "text-soft hover:bg-raised hover:text-ice";
  const see = (
    <button
      type="button"
      aria-pressed={picturing}
      onClick={() => session.set({ picturing: !picturing })}
      className={`h-6 rounded px-1.5 text-xs ${tone}`}
    >
      {picturing ? "back to the stage" : "see it"}
    </button>
  );
  return (
    <Part title="Picture" note="camera, lens and glow of stills and clips" add={see}>
      <Single name="picture">
        <span className="float-right opacity-0 focus-within:opacity-100 group-hover/card:opacity-100">
          <AllValues info={info} node={picture} path={["picture"]} label="Picture" />
        </span>
        <Sentence info={info} node={picture} path={["picture"]} whole />
      </Single>
    </Part>
  );
}
