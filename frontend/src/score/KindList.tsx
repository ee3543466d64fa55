/** The kinds that can stand in a place: grouped, found by whatever one would call them, each with a picture of what it does. */

import { Command } from "cmdk";
import { useState } from "react";
import type { KindInfo } from "@/api/client";
import type { Node, Path } from "@/state/document";
import { usePreferences } from "@/state/use";
import { unmarked } from "@/ui/words";
import { attributes, useScore } from "./context";
import { useFitting } from "./KindPicker";
import { found } from "./matching";
import { cx } from "@/ui/cx";

interface Props {
  slot: string;
  path: Path;
  present?: string;
  /** Told what was chosen, and what else the words of the search have said of it. */
  onChoose: (info: KindInfo, said: Node) => void;
}

/** A list this long is searched, and begins with what one uses most. */
const LONG = 8;
const OFTEN = 3;
const USED = "You use often";

export function KindList({ slot, path, present, onChoose }: Props) {
  const { catalogue, effect } = useScore();
  const fitting = useFitting(slot, path);
  const used = usePreferences((state) => state.used);
  const kinds = (catalogue.slots[slot] ?? []).filter((kind) => fitting(kind) || kind.kind === present);
  const [under, setUnder] = useState(present ?? kinds[0]?.kind ?? "");
  const [search, setSearch] = useState("");
  const times = (kind: KindInfo) => used[`${slot}/${kind.kind}`] ?? 0;
  const often =
    kinds.length > LONG && !search
      ? [...kinds]
          .filter((kind) => times(kind) > 1)
          .sort((a, b) => times(b) - times(a))
          .slice(0, OFTEN)
      : [];
  const hits = found(kinds, search, catalogue, attributes(catalogue, effect));
  const hitOf = (kind: KindInfo) => hits.find((hit) => hit.kind === kind);
  const rest = hits.map(({ kind }) => kind).filter((kind) => !often.includes(kind));
  const groups = [
    ...(often.length ? [{ title: USED, members: often }] : []),
    ...[...new Set(rest.map((kind) => kind.category))].map((title) => ({
      title,
      members: rest.filter((kind) => kind.category === title),
    })),
  ];
  const shown = kinds.find((kind) => kind.kind === under);
  return (
    <Command value={under} onValueChange={setUnder} label="Choose" className="-m-3" shouldFilter={false}>
      {kinds.length > 5 && (
        <Command.Input
          autoFocus
          value={search}
          onValueChange={setSearch}
          placeholder="Search, in your own words"
          className="w-full border-b border-line bg-transparent px-3 py-2 outline-none placeholder:text-soft"
        />
      )}
      <Command.List className="max-h-72 overflow-y-auto p-1">
        <Command.Empty className="px-2 py-3 text-soft">Nothing of that name. Try another word for it.</Command.Empty>
        {groups.map(({ title, members }) => (
          <Command.Group
            key={title}
            heading={title || undefined}
            className={cx(
              "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-1.5",
              "[&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-soft",
            )}
          >
            {members.map((kind) => (
              <Command.Item
                key={kind.kind}
                value={kind.kind}
                onSelect={() => onChoose(kind, hitOf(kind)?.said ?? {})}
                className="flex cursor-pointer items-center gap-2.5 rounded px-2 py-1 data-[selected=true]:bg-ice/8"
              >
                <Picture slot={slot} kind={kind.kind} small />
                <span className="min-w-0">{kind.title}</span>
                {hitOf(kind)?.word && (
                  <span className="text-xs text-soft" aria-hidden>
                    {hitOf(kind)!.word}
                  </span>
                )}
                {kind.kind === present && <span className="text-xs text-soft">now</span>}
              </Command.Item>
            ))}
          </Command.Group>
        ))}
      </Command.List>
      {shown && (
        // As high whatever it says: where the box stands over its chip, the list would move under the pointer.
        <div
          tabIndex={0}
          role="region"
          aria-label="What it does"
          className="flex h-[136px] gap-3 overflow-y-auto border-t border-line p-3"
        >
          <Picture slot={slot} kind={shown.kind} />
          <p className="min-w-0 flex-1 text-xs leading-relaxed text-soft">{unmarked(shown.help)}</p>
        </div>
      )}
    </Command>
  );
}

/** What a kind does, as it came out of a run. */
export function Picture({ slot, kind, small }: { slot: string; kind: string; small?: boolean }) {
  const [there, setThere] = useState(true);
  const size = small ? "h-[25px] w-10" : "h-[75px] w-[120px]";
  if (!there) return small ? <span className={size} /> : null;
  return (
    <img
      src={`/kinds/${slot}-${kind}.png`}
      alt=""
      loading="lazy"
      onError={() => setThere(false)}
      className={`${size} shrink-0 rounded-sm border border-line/60 object-cover`}
    />
  );
}
