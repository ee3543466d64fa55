/** Choosing a kind from the registry: searchable, grouped by category, with the help of the one under the pointer. */

import { Palette, RotateCcw } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { at, kindOf, type Effect, type Node, type Path } from "@/state/document";
import { colourBy } from "@/state/colouring";
import { Popover, PopoverClose } from "@/ui/controls";
import { useRuleAround, useScore } from "./context";
import { FieldList } from "./More";
import { placesOf } from "./standing";
import { coreOf } from "./template";
import { unsaidOf } from "./unsaid";
import { useApp, useSession, useStudio } from "@/state/use";
import { KindList } from "./KindList";
import { askForMesh } from "./meshFile";
import { beginAnew, openFirst } from "./opening";
import { exchange } from "@/state/exchanging";

interface Props {
  slot: string;
  path: Path;
  label: string;
  words: ReactNode;
  present?: string;
  /** What stands there now, whose values that its sentence leaves out can be reached from here. */
  node?: Node;
  /** Words of the sentence that are only marked as something to click when one comes near. */
  quiet?: boolean;
}

/** What can be done with the part that stands there, below the list of what else could. */
const BELOW = "mb-1 flex h-7 w-full items-center gap-2 rounded px-1 text-left hover:bg-ice/10 hover:text-ice";

/** A chip that replaces the part at `path` by another kind; what stood there stays as far as the new kind takes it. */
export function KindPicker({ slot, path, label, words, present, node, quiet }: Props) {
  const session = useSession();
  const { meshes, catalogue } = useScore();
  const info = node && kindOf(catalogue, slot, node.kind);
  const rest = info ? unsaidOf(info, node) : [];
  const choose = (info: KindInfo, said: Node) => {
    const mesh = info.fields.find((field) => field.to === "asset" && field.required);
    // Without any mesh in the library a file has to be read first.
    if (mesh && !meshes[0])
      return askForMesh((asset) => void exchange(session, path, info.kind, { [mesh.name]: asset }));
    if (mesh)
      return void exchange(session, path, info.kind, { [mesh.name]: meshes[0]!.id }).then((done) => {
        if (!done) return;
        const hint = `It is “${meshes[0]!.name}” of the library: its name in the sentence chooses another, or reads a file.`;
        session.set({ hint });
      });
    if (info.kind === present && Object.keys(said).length === 0) return void beginAnew(session, path, info.kind);
    void exchange(session, path, info.kind, said).then((done) => done && openFirst(path));
  };
  const inLook = path[0] === "looks";
  const colouring = slot === "quantity" && node && info && info.value_type !== "flag" && !inLook;
  const whole = present ? kindOf(catalogue, slot, present) : undefined;
  const below = (
    <>
      {whole && whole.fields.length > 0 && (
        <PopoverClose asChild>
          <button type="button" onClick={() => void beginAnew(session, path, whole.kind)} className={BELOW}>
            <RotateCcw className="size-3.5 text-soft" /> All its values as they begin
          </button>
        </PopoverClose>
      )}
      {colouring && <ColourBy quantity={node} />}
      {node && rest.length > 0 && <FieldList key={node.kind as string} fields={rest} node={node} path={path} />}
    </>
  );
  const chip = (
    <button
      type="button"
      data-exchange={path.join("/")}
      className={quiet ? "chip chip-quiet" : "chip"}
      aria-label={typeof words === "string" ? undefined : label}
    >
      {words}
    </button>
  );
  return (
    <KindPopover
      slot={slot}
      path={path}
      label={label}
      present={present}
      onChoose={choose}
      trigger={chip}
      rest={(whole && whole.fields.length > 0) || colouring || rest.length > 0 ? below : undefined}
    />
  );
}

/** Gives the particles that the rule around looks at a colour by a quantity: a ramp over its present values. */
function ColourBy({ quantity }: { quantity: Node }) {
  const session = useSession();
  const { who } = useRuleAround();
  return (
    <PopoverClose asChild>
      <button type="button" onClick={() => void colourBy(session, quantity, who)} className={BELOW}>
        <Palette className="size-3.5 text-soft" /> Colour by this
      </button>
    </PopoverClose>
  );
}

/** Words of a sentence by which its kind is exchanged; blanks, commas and arrows around them are only words. */
export function Exchangeable({
  slot,
  path,
  label,
  text,
  present,
}: {
  slot: string;
  path: Path;
  label: string;
  text: string;
  present: string;
}) {
  const [lead, core, tail] = coreOf(text);
  return (
    <>
      {lead}
      {core &&
        (/\w/.test(core) ? (
          <KindPicker slot={slot} path={path} label={label} words={core} present={present} quiet />
        ) : (
          core
        ))}
      {tail}
    </>
  );
}

const lengthAt = (document: Effect, path: Path): number => {
  const list = at(document, path);
  return Array.isArray(list) ? list.length : 0;
};

/** Which kinds can stand at a path: actions by the trigger and branch that they are in, others by what is around them. */
export function useFitting(slot: string, path: Path): (info: KindInfo) => boolean {
  const session = useSession();
  const { document, catalogue } = session.state;
  if (slot === "action") {
    const places = placesOf(document, catalogue, path);
    return (info) => places.every((place) => info.places?.includes(place) ?? true);
  }
  const around = path.map((_, depth) => (at(document, path.slice(0, depth)) as Node | null)?.kind);
  return (info) => info.only_in.length === 0 || info.only_in.some((kind) => around.includes(kind));
}

interface PopoverProps {
  slot: string;
  path: Path;
  label: string;
  trigger: ReactNode;
  onChoose: (info: KindInfo, said: Node) => void;
  present?: string;
  /** Shown below the list. */
  rest?: ReactNode;
}

/** Any button that opens the list of a slot's kinds and closes it on choosing. */
export function KindPopover({ slot, path, label, trigger, onChoose, present, rest }: PopoverProps) {
  const app = useApp();
  const [open, setOpen] = useState(false);
  const choose = (info: KindInfo, said: Node) => {
    setOpen(false);
    const { used } = app.preferences.getState();
    const key = `${slot}/${info.kind}`;
    app.preferences.setState({ used: { ...used, [key]: (used[key] ?? 0) + 1 } });
    onChoose(info, said);
  };
  return (
    <Popover label={label} open={open} onOpenChange={setOpen} trigger={trigger} wide>
      <KindList slot={slot} path={path} present={present} onChoose={choose} />
      {rest && <div className="-mx-3 mt-3 border-t border-line px-3 pt-2">{rest}</div>}
    </Popover>
  );
}

interface AddProps {
  slot: string;
  path: Path;
  label: string;
  /** What the sentence says as long as nothing was added; it is clicked to add. */
  words?: string;
}

/** A button that adds one more to a list, chosen from its slot's kinds. */
export function AddKind({ slot, path, label, words }: AddProps) {
  const session = useSession();
  const length = useStudio((state) => lengthAt(state.document, path));
  const end = [...path, length];
  const add = (info: KindInfo, said: Node) => {
    void exchange(session, end, info.kind, said).then((done) => done && openFirst(end));
  };
  const button = words ? (
    <button type="button" data-add={path.join("/")} className="chip chip-quiet">
      {words}
    </button>
  ) : (
    <button
      type="button"
      data-add={path.join("/")}
      className="rounded px-1 text-xs leading-6 text-soft hover:bg-raised hover:text-ice"
    >
      + {label}
    </button>
  );
  return <KindPopover slot={slot} path={end} label={`Add ${label}`} onChoose={add} trigger={button} />;
}
