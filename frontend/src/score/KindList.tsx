/** The kinds that can stand in a place: grouped, found by whatever one would call them, each with a picture of what it does. */

import { Command } from "cmdk";
import { useState } from "react";
import type { KindInfo } from "@/api/client";
import type { Node, Path } from "@/state/document";
import { usePreferences } from "@/state/use";
import { unmarked } from "@/ui/words";
import { attributes, useScore } from "./context";
import { useFitting } from "./KindPicker";
import { byItself, found, type Found } from "./matching";
import { cx } from "@/ui/cx";

interface Props {
  slot: string;
  path: Path;
  present?: string;
  /** Told what was chosen, and what else the words of the search have said of it. */
  onChoose: (info: KindInfo, said: Node) => void;
}

/** A list this long begins with what one uses most. */
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
  const groups = search.trim()
    ? [{ title: "", members: found(kinds, search, catalogue, attributes(catalogue, effect)) }]
    : grouped(kinds, (kind) => used[`${slot}/${kind.kind}`] ?? 0);
  const all = groups.flatMap(({ members }) => members);
  const shown = all.find((hit) => nameOf(hit) === under)?.kind;
  return (
    <Command value={under} onValueChange={setUnder} label="Choose" className="-m-3" shouldFilter={false}>
      <Command.Input
        autoFocus
        value={search}
        onValueChange={setSearch}
        placeholder="Search, in your own words"
        className="w-full border-b border-line bg-transparent px-3 py-2 outline-none placeholder:text-soft"
      />
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
            {members.map((hit) => (
              <Command.Item
                key={nameOf(hit)}
                value={nameOf(hit)}
                onSelect={() => onChoose(hit.kind, hit.said)}
                className="flex cursor-pointer items-center gap-2.5 rounded px-2 py-1 data-[selected=true]:bg-ice/8"
              >
                <Picture slot={slot} kind={hit.kind.kind} small />
                <span className="min-w-0">{hit.kind.title}</span>
                {hit.word && <span className="text-xs text-soft">{hit.word}</span>}
                {hit.kind.kind === present && !hit.word && <span className="text-xs text-soft">now</span>}
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

/** By what a line of the list is known. */
const nameOf = ({ kind, word }: Found): string => (word ? `${kind.kind} ${word}` : kind.kind);

/** All kinds by what they are for; of many, those that one uses most come before. */
function grouped(kinds: readonly KindInfo[], times: (kind: KindInfo) => number): { title: string; members: Found[] }[] {
  const often =
    kinds.length > LONG
      ? kinds
          .filter((kind) => times(kind) > 1)
          .sort((a, b) => times(b) - times(a))
          .slice(0, OFTEN)
      : [];
  const rest = kinds.filter((kind) => !often.includes(kind));
  return [
    ...(often.length ? [{ title: USED, members: often.map(byItself) }] : []),
    ...[...new Set(rest.map((kind) => kind.category))].map((title) => ({
      title,
      members: rest.filter((kind) => kind.category === title).map(byItself),
    })),
  ];
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
