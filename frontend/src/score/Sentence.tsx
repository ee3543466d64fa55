/** A part of the document read as a sentence, every value a chip that is edited in place; what the sentence leaves
 * unsaid is behind its dots. */

import { Fragment, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import type { Node, Path } from "@/state/document";
import { Chip } from "./Chip";
import { More } from "./More";
import { told, unsaidOf } from "./unsaid";
import { pieces, type Piece } from "./template";

interface Props {
  info: KindInfo;
  node: Node;
  path: Path;
  /** Wraps the words between fields, for kinds that are changed by clicking their words. */
  wrapWords?: (words: string) => ReactNode;
  /** Whether only the words that say most are wrapped, and not every "to" and "at". */
  wrapOnce?: boolean;
  /** Whether what it leaves unsaid can be reached from here; items have a list of all their values beside their name. */
  whole?: boolean;
}

export function Sentence({ info, node, path, wrapWords, wrapOnce, whole }: Props) {
  const template = pieces(info.sentence);
  const longest = wrapOnce ? [...template].sort((a, b) => wordsIn(b) - wordsIn(a))[0] : null;
  const render = (piece: Piece, index: number): ReactNode => {
    if ("words" in piece)
      return (
        <Fragment key={index}>
          {wrapWords && (!longest || piece === longest) ? wrapWords(piece.words) : piece.words}
        </Fragment>
      );
    if ("optional" in piece)
      return told(piece.fields, info, node) ? <Fragment key={index}>{piece.optional.map(render)}</Fragment> : null;
    const field = info.fields.find((entry) => entry.name === piece.field);
    return field ? <Chip key={index} field={field} parent={node} path={[...path, field.name]} /> : null;
  };
  const words = template.map(render);
  const unsaid = whole ? [] : unsaidOf(info, node);
  const more = !whole && <More key={info.kind} info={info} fields={unsaid} node={node} path={path} />;
  // The button, mostly unseen, never has a line of its own: it stays with the last chip. Which one that is does not depend on what
  // is told at the moment: an open box stays open.
  const last = template.findLastIndex((piece) => "field" in piece);
  const rest = words.slice(last + 1);
  const ends = rest.every((word) => word === null);
  return (
    <>
      {words.slice(0, Math.max(0, last))}
      <span className="whitespace-nowrap">
        {words[last]}
        {ends && more}
      </span>
      {rest}
      {/* It takes no room of its own, so that it cannot be what goes onto one more line. */}
      {!ends && <span className="inline-block w-0 whitespace-nowrap">{more}</span>}
    </>
  );
}

const wordsIn = (piece: Piece): number => ("words" in piece ? piece.words.trim().length : 0);
