/** Choosing a kind from the registry: searchable, grouped by category, with the help of the one under the pointer. */

import { Command } from "cmdk";
import { useState, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { at, kindOf, made, type Node, type Path } from "@/state/document";
import { edit } from "@/state/studio";
import { Popover } from "@/ui/controls";
import { unmarked } from "@/ui/words";
import { useScore } from "./context";

interface Props {
  slot: string;
  path: Path;
  label: string;
  words: ReactNode;
  present?: string;
}

/** A chip that replaces the part at `path` by another kind; fields of the same name keep their values. */
export function KindPicker({ slot, path, label, words, present }: Props) {
  const { catalogue, effect, meshes } = useScore();
  const choose = (info: KindInfo) => {
    const mesh = info.fields.find((field) => field.to === "asset" && field.required);
    // Without any mesh in the library a file has to be read first.
    if (mesh && !meshes[0]) return document.getElementById("mesh-file")?.click();
    const before = at(effect, path) as Node | null;
    const next = made(info, effect);
    if (mesh) next[mesh.name] = meshes[0]!.id;
    const known = kindOf(catalogue, slot, before?.kind);
    for (const field of info.fields) {
      const twin = known?.fields.find((entry) => entry.name === field.name && entry.type === field.type);
      if (before && twin && before[field.name] !== undefined) next[field.name] = before[field.name] as Node[string];
      // What joins or turns around others of its sort takes in what stood there: choosing "all of these" loses no condition.
      else if (before && field.slot === slot) next[field.name] = field.many ? [before] : before;
    }
    // Who it is stays: everything that names it goes on working.
    for (const name of ["id", "label", "visible", "enabled"]) if (before && name in before) next[name] = before[name] as Node[string];
    edit(path, next);
  };
  const chip = (
    <button type="button" className="chip">
      {words}
    </button>
  );
  return <KindPopover slot={slot} label={label} present={present} onChoose={choose} trigger={chip} />;
}

interface PopoverProps {
  slot: string;
  label: string;
  trigger: ReactNode;
  onChoose: (info: KindInfo) => void;
  present?: string;
}

/** Any button that opens the list of a slot's kinds and closes it on choosing. */
export function KindPopover({ slot, label, trigger, onChoose, present }: PopoverProps) {
  const [open, setOpen] = useState(false);
  const choose = (info: KindInfo) => {
    setOpen(false);
    onChoose(info);
  };
  return (
    <Popover label={label} open={open} onOpenChange={setOpen} trigger={trigger}>
      <KindList slot={slot} present={present} onChoose={choose} />
    </Popover>
  );
}

function KindList({ slot, present, onChoose }: { slot: string; present?: string; onChoose: (info: KindInfo) => void }) {
  const { catalogue } = useScore();
  const kinds = catalogue.slots[slot] ?? [];
  const [under, setUnder] = useState(present ?? kinds[0]?.kind ?? "");
  const groups = [...new Set(kinds.map((kind) => kind.category))];
  const help = kinds.find((kind) => kind.kind === under)?.help;
  return (
    <Command value={under} onValueChange={setUnder} label="Choose" className="-m-3" filter={(value, search) => (matches(kinds, value, search) ? 1 : 0)}>
      {kinds.length > 5 && (
        <Command.Input autoFocus placeholder="Search…" className="w-full border-b border-line bg-transparent px-3 py-2 outline-none placeholder:text-soft" />
      )}
      <Command.List className="max-h-64 overflow-y-auto p-1">
        <Command.Empty className="px-2 py-3 text-soft">Nothing of that name.</Command.Empty>
        {groups.map((group) => (
          <Command.Group key={group} heading={group || undefined} className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-1.5 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-soft">
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
  return search.toLowerCase().split(/\s+/).every((word) => text.includes(word));
}

/** A button that adds a new part of a slot to the end of a list. */
export function AddKind({ slot, path, label }: { slot: string; path: Path; label: string }) {
  const { effect } = useScore();
  const add = (info: KindInfo) => edit(path, [...((at(effect, path) ?? []) as Node[]), made(info, effect)]);
  const button = (
    <button type="button" className="rounded px-1 text-xs leading-6 text-soft hover:bg-raised hover:text-ice">
      + {label}
    </button>
  );
  return <KindPopover slot={slot} label={`Add ${label}`} onChoose={add} trigger={button} />;
}
