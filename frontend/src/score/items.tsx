/** Items of the score other than rules. Each renders only when it has changed itself. */

import { memo, useMemo } from "react";
import {
  kindOf,
  same,
  type Attribute,
  type Dial,
  type Field,
  type Group,
  type Json,
  type Look,
  type Shape,
  type Source,
  type Path,
} from "@/state/document";
import { keysOf } from "@/state/keys";
import type { Session } from "@/state/session";
import { useSession, useStudio } from "@/state/use";
import type { MenuEntry } from "@/ui/controls";
import { Actions } from "./Actions";
import { Card } from "./cards";
import { Chip } from "./Chip";
import { ColorLayers } from "./ColorLayers";
import { RuleContext } from "./context";
import { ExplainedFrom } from "./ExplainedFrom";
import { AddKind, Exchangeable, KindPicker } from "./KindPicker";
import { LinesTold } from "./LinesTold";
import { ChosenChip } from "./dials";
import { Sentence } from "./Sentence";

/** Switching an item off, and on again. */
const switching = (session: Session, path: Path, off: boolean): MenuEntry => ({
  label: off ? "Switch on" : "Switch off",
  onSelect: () => session.edit([...path, "enabled"], off),
});

export const ShapeItem = memo(function ShapeItem({ shape, index }: { shape: Shape; index: number }) {
  const session = useSession();
  const info = useStudio((state) => kindOf(state.catalogue, "shape", shape.kind));
  const path = ["shapes", index];
  if (!info) return null;
  const kind = info.title.toLowerCase();
  const extra = [
    {
      label: shape.visible ? "Hide on the stage" : "Show on the stage",
      onSelect: () => session.edit([...path, "visible"], !shape.visible),
    },
  ];
  return (
    <Card collection="shapes" item={shape} index={index} info={info} extra={extra}>
      {shape.kind === "mesh" ? (
        <span className="text-soft">{kind}</span>
      ) : (
        <KindPicker slot="shape" path={path} label={`Kind of ${shape.label}`} words={kind} present={info.kind} />
      )}{" "}
      <Sentence info={info} node={shape} path={path} whole />
      {!shape.visible && <span className="text-soft">, outlined only</span>}
    </Card>
  );
});

export const FieldItem = memo(function FieldItem({ field, index }: { field: Field; index: number }) {
  const info = useStudio((state) => kindOf(state.catalogue, "field", field.kind));
  const path = ["fields", index];
  return (
    info && (
      <Card collection="fields" item={field} index={index} info={info}>
        <KindPicker slot="field" path={path} label={`Kind of ${field.label}`} words={info.title} present={info.kind} />:{" "}
        <Sentence info={info} node={field} path={path} whole />
      </Card>
    )
  );
});

/** A dial's value, edited as its type says. */
export const DialItem = memo(function DialItem({ dial, index }: { dial: Dial; index: number }) {
  const session = useSession();
  const info = useStudio((state) => state.catalogue.parts.dial!);
  const extra: MenuEntry[] = [
    { label: "All dials over the stage", hint: "K", onSelect: () => session.set({ dialled: true }) },
  ];
  if (dial.type === "number")
    extra.unshift({ label: "Compare with another value", onSelect: () => session.beginComparing(dial) });
  const plain = dial.type !== "choice" && dial.type !== "shape" && !keysOf(dial.value as Json);
  if (plain && !same(dial.value as Json, (dial.standard ?? null) as Json))
    extra.push({
      label: "Make this value its default",
      onSelect: () => session.edit(["dials", index, "standard"], dial.value as Json),
    });
  const named = dial.type === "shape" ? "shape" : "value";
  const field = info.fields.find(({ name }) => name === named)!;
  return (
    <Card collection="dials" item={dial} index={index} info={info} extra={extra}>
      {dial.type === "choice" ? (
        <ChosenChip dial={dial} index={index} />
      ) : (
        <Chip field={field} parent={dial} path={["dials", index, named]} />
      )}
    </Card>
  );
});

export const GroupItem = memo(function GroupItem({ group, index }: { group: Group; index: number }) {
  const session = useSession();
  const info = useStudio((state) => state.catalogue.parts.group!);
  const mark = (
    <input
      type="color"
      aria-label={`Colour of ${group.label}`}
      value={group.color}
      onChange={(event) => session.tryValue(["groups", index, "color"], event.target.value)}
      onBlur={() => session.settle()}
      className="swatch"
    />
  );
  return <Card collection="groups" item={group} index={index} info={info} mark={mark} />;
});

export const AttributeItem = memo(function AttributeItem({
  attribute,
  index,
}: {
  attribute: Attribute;
  index: number;
}) {
  const info = useStudio((state) => state.catalogue.parts.attribute!);
  return <Card collection="attributes" item={attribute} index={index} info={info} />;
});

export const SourceItem = memo(function SourceItem({ source, index }: { source: Source; index: number }) {
  const session = useSession();
  const info = useStudio((state) => state.catalogue.parts.source!);
  const color = useStudio((state) => state.document.groups.find((group) => group.id === source.group)?.color);
  const chosen = useStudio((state) => state.selected?.[0] === "sources" && state.selected[1] === index);
  const path = ["sources", index];
  const off = !source.enabled;
  const extra = [switching(session, path, off)];
  return (
    <Card
      collection="sources"
      item={source}
      index={index}
      info={info}
      off={off}
      extra={extra}
      mark={<span className="mr-1.5 inline-block size-2 rounded-full" style={{ background: color ?? "transparent" }} />}
      below={
        <>
          {source.actions.length > 0 && <div className="text-soft">then, on birth,</div>}
          <Actions actions={source.actions} path={[...path, "actions"]} />
          {chosen && <AddKind slot="action" path={[...path, "actions"]} label="done on birth" />}
        </>
      }
    />
  );
});

export const LookItem = memo(function LookItem({ look, index }: { look: Look; index: number }) {
  const session = useSession();
  const info = useStudio((state) => kindOf(state.catalogue, "look", look.kind));
  const chosen = useStudio((state) => state.selected?.[0] === "looks" && state.selected[1] === index);
  const path = ["looks", index];
  const { id, who } = look;
  const around = useMemo(() => ({ who, trigger: "each", selected: chosen }), [who, chosen]);
  const owner = useMemo(() => ({ look: id }), [id]);
  if (!info) return null;
  const off = !look.enabled;
  const conditioned = "laid_while" in look && look.laid_while !== null;
  const extra = [switching(session, path, off)];
  const words = (text: string) => (
    <Exchangeable slot="look" path={path} label="Kind of look" text={text} present={info.kind} />
  );
  return (
    <RuleContext value={around}>
      <ExplainedFrom owner={owner} wanted={conditioned && !off} curved={conditioned && !off && chosen}>
        <Card
          collection="looks"
          item={look}
          index={index}
          info={info}
          off={off}
          extra={extra}
          below={
            <>
              <ColorLayers layers={look.layers} path={[...path, "layers"]} chosen={chosen} />
              {chosen && "laid_while" in look && !conditioned && (
                <KindPicker
                  slot="condition"
                  path={[...path, "laid_while"]}
                  label="Laid while"
                  words="+ laid only while…"
                />
              )}
              <LinesTold look={look} path={path} />
            </>
          }
        >
          <Sentence info={info} node={look} path={path} wrapOnce wrapWords={words} whole />
          {look.layers.length === 0 && (
            <span className="text-soft">
              , <AddKind slot="layer" path={[...path, "layers"]} label="colour" words="in their own colour" />
            </span>
          )}
        </Card>
      </ExplainedFrom>
    </RuleContext>
  );
});
