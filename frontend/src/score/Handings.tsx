/** What children get of their parent beyond what attributes hand on anyhow: one line for each, and a button for one more. */

import { X } from "lucide-react";
import { kindOf, type Node, type Path } from "@/state/document";
import { useSession } from "@/state/use";
import { useScore } from "./context";
import { AddKind, Exchangeable } from "./KindPicker";
import { NotesAt } from "./notes";
import { Sentence } from "./Sentence";
import { Small } from "./Small";

export function Handings({ hands, path }: { hands: Node[]; path: Path }) {
  const session = useSession();
  const { catalogue } = useScore();
  return (
    <div className="pl-1">
      <ul>
        {hands.map((hand, index) => {
          const info = kindOf(catalogue, "handing", hand.kind);
          const inner = [...path, index];
          if (!info) return null;
          return (
            <li key={String(hand.id ?? index)} className="group/hand relative min-h-6 pr-6 leading-6">
              <Sentence
                info={info}
                node={hand}
                path={inner}
                wrapOnce
                wrapWords={(text) => (
                  <Exchangeable slot="handing" path={inner} label="Handed on" text={text} present={info.kind} />
                )}
              />
              <span className="absolute right-0 top-0 opacity-0 focus-within:opacity-100 group-hover/hand:opacity-100">
                <Small
                  label={`Remove: ${info.title}`}
                  icon={<X className="size-3" />}
                  onClick={() =>
                    session.edit(
                      path,
                      hands.filter((_, other) => other !== index),
                    )
                  }
                />
              </span>
              <NotesAt path={inner} />
            </li>
          );
        })}
      </ul>
      <AddKind slot="handing" path={path} label="hand on to children" />
    </div>
  );
}
