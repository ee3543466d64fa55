/** The urges of those who steer, in the order in which the force is handed out: each with the share of it that it got. */

import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useMemo } from "react";
import { addressOf, kindOf, moved, type Node, type Path } from "@/state/document";
import { useNow, useRun, useSession, useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";
import { useScore } from "./context";
import { AddKind, Exchangeable } from "./KindPicker";
import { NotesAt } from "./notes";
import { Sentence } from "./Sentence";
import { Small } from "./Small";
import { Spark } from "./Spark";

/** An urge that gets less than this part of what it wants, and wants more than that of the force, is starved by those above it. */
const STARVED = 0.35;
const WISHED = 0.15;
/** Only goals are missed: what else stands low in the list is there to take what is left. */
const GOALS = "Goals";

export function Urges({ urges, path, ordered }: { urges: Node[]; path: Path; ordered: boolean }) {
  const session = useSession();
  const put = (next: Node[]) => session.edit(path, next);
  return (
    <div className="pl-1">
      <ol>
        {urges.map((urge, index) => (
          <Line
            key={String(urge.id ?? index)}
            urge={urge}
            index={index}
            last={urges.length - 1}
            path={[...path, index]}
            ordered={ordered}
            onMove={(to) => put(moved(urges, index, to))}
            onRemove={() => put(urges.filter((_, other) => other !== index))}
          />
        ))}
      </ol>
      {urges.length === 0 && <p className="text-xs text-soft">No urge yet, so nobody steers: add one.</p>}
      <AddKind slot="urge" path={path} label="urge" />
    </div>
  );
}

interface LineProps {
  urge: Node;
  index: number;
  last: number;
  path: Path;
  ordered: boolean;
  onMove: (to: number) => void;
  onRemove: () => void;
}

function Line({ urge, index, last, path, ordered, onMove, onRemove }: LineProps) {
  const { catalogue } = useScore();
  const info = kindOf(catalogue, "urge", urge.kind);
  if (!info) return null;
  return (
    <li className="group/urge relative min-h-6 pl-5 pr-[84px] leading-6" data-urge={String(urge.kind)}>
      <span className="tabular absolute left-0 text-xs text-soft" aria-hidden>
        {index + 1}
      </span>
      <Sentence
        info={info}
        node={urge}
        path={path}
        wrapOnce
        wrapWords={(text) => <Exchangeable slot="urge" path={path} label="Urge" text={text} present={info.kind} />}
      />
      <span className="absolute right-0 top-0 flex h-6 items-center group-focus-within/urge:opacity-0 group-hover/urge:opacity-0">
        <Share path={path} title={info.title} />
      </span>
      <span className="absolute right-0 top-0 flex opacity-0 focus-within:opacity-100 group-hover/urge:opacity-100">
        {index > 0 && (
          <Small
            label={`Move up: ${info.title}`}
            icon={<ArrowUp className="size-3" />}
            onClick={() => onMove(index - 1)}
          />
        )}
        {index < last && (
          <Small
            label={`Move down: ${info.title}`}
            icon={<ArrowDown className="size-3" />}
            onClick={() => onMove(index + 1)}
          />
        )}
        <Small label={`Remove: ${info.title}`} icon={<X className="size-3" />} onClick={onRemove} />
      </span>
      <NotesAt path={path} />
      {ordered && index > 0 && info.category === GOALS && (
        <Starved path={path} title={info.title} onUp={() => onMove(0)} />
      )}
    </li>
  );
}

const useAddress = (path: Path): string => useStudio((state) => addressOf(state.document, path));

/** Which part of the largest force an urge got, now and over time. */
function Share({ path, title }: { path: Path; title: string }) {
  const address = useAddress(path);
  const stats = useRun((state) => state.stats);
  const series = useMemo(() => stats.map((entry) => entry.urges?.[address]?.[1] ?? 0), [stats, address]);
  const got = useNow((now) => now?.urges?.[address]?.[1] ?? -1);
  if (got < 0) return null;
  const words = `${Math.round(got * 100)} %`;
  return (
    <Hint text={`${title} got ${words} of the largest force at this frame; the curve is that over time.`}>
      <span className="flex items-center gap-1.5 text-xs text-soft">
        <Spark values={series} width={36} />
        <span className="tabular w-9 text-right" data-share={got.toFixed(3)}>
          {words}
        </span>
      </span>
    </Hint>
  );
}

/** Where those above leave an urge next to nothing of what it wants: that, in words, and what helps. */
function Starved({ path, title, onUp }: { path: Path; title: string; onUp: () => void }) {
  const address = useAddress(path);
  const told = useNow((now) => {
    const [wanted, got] = now?.urges?.[address] ?? [0, 0];
    const wish = Math.min(wanted, 1);
    return wish > WISHED && got < STARVED * wish ? `${Math.round(got * 100)} ${Math.round(wish * 100)}` : "";
  });
  const playing = useStudio((state) => state.playing);
  if (!told || playing) return null;
  const [got, wish] = told.split(" ");
  return (
    <p className="text-xs leading-5 text-ember" role="note">
      {title} gets {got} % of the force and wants {wish} %: those above it take the rest.{" "}
      <button type="button" onClick={onUp} className="rounded px-1 text-ice hover:bg-raised">
        Move it to the top
      </button>
    </p>
  );
}
