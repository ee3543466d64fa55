/** Choosing a kind from the registry: searchable, grouped by category, with the help of the one under the pointer. */

import { Command } from "cmdk";
import { useState, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { at, kindOf, type Effect, type Node, type Path } from "@/state/document";
import { Popover } from "@/ui/controls";
import { unmarked } from "@/ui/words";
import { useScore } from "./context";
import { FieldList } from "./More";
import { placesOf } from "./standing";
import { coreOf } from "./template";
import { unsaidOf } from "./unsaid";
import { useSession, useStudio } from "@/state/use";
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

/** A chip that replaces the part at `path` by another kind; what stood there stays as far as the new kind takes it. */
export function KindPicker({ slot, path, label, words, present, node, quiet }: Props) {
  const session = useSession();
  const { meshes, catalogue } = useScore();
  const info = node && kindOf(catalogue, slot, node.kind);
  const rest = info ? unsaidOf(info, node) : [];
  const choose = (info: KindInfo) => {
    const mesh = info.fields.find((field) => field.to === "asset" && field.required);
    // Without any mesh in the library a file has to be read first.
    if (mesh && !meshes[0]) return document.getElementById("mesh-file")?.click();
    void exchange(session, path, info.kind, mesh ? { [mesh.name]: meshes[0]!.id } : {});
  };
  const chip = (
    <button
      type="button"
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
      rest={rest.length > 0 && node && <FieldList fields={rest} node={node} path={path} />}
    />
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

/** Which kinds can stand at a path: actions by the trigger and branch that they are in, others by what is around them. */
const lengthAt = (document: Effect, path: Path): number => {
  const list = at(document, path);
  return Array.isArray(list) ? list.length : 0;
};

function useFitting(slot: string, path: Path): (info: KindInfo) => boolean {
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
  onChoose: (info: KindInfo) => void;
  present?: string;
  /** Shown below the list. */
  rest?: ReactNode;
}

/** Any button that opens the list of a slot's kinds and closes it on choosing. */
export function KindPopover({ slot, path, label, trigger, onChoose, present, rest }: PopoverProps) {
  const [open, setOpen] = useState(false);
  const choose = (info: KindInfo) => {
    setOpen(false);
    onChoose(info);
  };
  return (
    <Popover label={label} open={open} onOpenChange={setOpen} trigger={trigger}>
      <KindList slot={slot} path={path} present={present} onChoose={choose} />
      {rest && <div className="-mx-3 mt-3 border-t border-line px-3 pt-2">{rest}</div>}
    </Popover>
  );
}

function KindList({
  slot,
  path,
  present,
  onChoose,
}: {
  slot: string;
  path: Path;
  present?: string;
  onChoose: (info: KindInfo) => void;
}) {
  const { catalogue } = useScore();
  const fitting = useFitting(slot, path);
  const kinds = (catalogue.slots[slot] ?? []).filter((kind) => fitting(kind) || kind.kind === present);
  const [under, setUnder] = useState(present ?? kinds[0]?.kind ?? "");
  const groups = [...new Set(kinds.map((kind) => kind.category))];
  const help = kinds.find((kind) => kind.kind === under)?.help;
  return (
    <Command
      value={under}
      onValueChange={setUnder}
      label="Choose"
      className="-m-3"
      filter={(value, search) => (matches(kinds, value, search) ? 1 : 0)}
    >
      {kinds.length > 5 && (
        <Command.Input
          autoFocus
          placeholder="Search…"
          className="w-full border-b border-line bg-transparent px-3 py-2 outline-none placeholder:text-soft"
        />
      )}
      <Command.List className="max-h-64 overflow-y-auto p-1">
        <Command.Empty className="px-2 py-3 text-soft">Nothing of that name.</Command.Empty>
        {groups.map((group) => (
          <Command.Group
            key={group}
            heading={group || undefined}
            className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-1.5 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-soft"
          >
            {kinds
              .filter((kind) => kind.category === group)
              .map((kind) => (
                <Command.Item
                  key={kind.kind}
                  value={kind.kind}
                  onSelect={() => onChoose(kind)}
                  className="cursor-pointer rounded px-2 py-1 data-[selected=true]:bg-ice/12"
                >
                  {kind.title}
                  {kind.kind === present && <span className="ml-2 text-xs text-soft">now</span>}
                </Command.Item>
              ))}
          </Command.Group>
        ))}
      </Command.List>
      {help && <p className="border-t border-line px-3 py-2 text-xs leading-relaxed text-soft">{unmarked(help)}</p>}
    </Command>
  );
}

function matches(kinds: KindInfo[], value: string, search: string): boolean {
  const kind = kinds.find((entry) => entry.kind === value);
  const text = `${kind?.title} ${kind?.category} ${kind?.help}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** A button that adds a new part of a slot to the end of a list. */
export function AddKind({ slot, path, label }: { slot: string; path: Path; label: string }) {
  const session = useSession();
  const length = useStudio((state) => lengthAt(state.document, path));
  const end = [...path, length];
  const add = (info: KindInfo) => {
    const { document, catalogue } = session.state;
    const lasting = placesOf(document, catalogue, path)[0] === "step";
    void exchange(session, end, info.kind, lasting ? {} : ((info.on_a_moment ?? {}) as Node));
  };
  const button = (
    <button type="button" className="rounded px-1 text-xs leading-6 text-soft hover:bg-raised hover:text-ice">
      + {label}
    </button>
  );
  return <KindPopover slot={slot} path={end} label={`Add ${label}`} onChoose={add} trigger={button} />;
}
