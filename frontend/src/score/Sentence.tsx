/** A part of the document read as a sentence, every value a chip that is edited in place. */

import { Fragment, type ReactNode } from "react";
import type { KindInfo } from "@/api/client";
import { same, type Node, type Path } from "@/state/document";
import { Chip } from "./Chip";
import { pieces, type Piece } from "./template";

interface Props {
  info: KindInfo;
  node: Node;
  path: Path;
  /** Wraps the words between fields, for kinds that are changed by clicking their words. */
  wrapWords?: (words: string) => ReactNode;
}

export function Sentence({ info, node, path, wrapWords }: Props) {
  const render = (piece: Piece, index: number): ReactNode => {
    if ("words" in piece) return <Fragment key={index}>{wrapWords ? wrapWords(piece.words) : piece.words}</Fragment>;
    if ("optional" in piece) {
      const told = piece.fields.some((name) => {
        const field = info.fields.find((entry) => entry.name === name);
        return field && !same(node[name], (field.default ?? null) as Node[string]);
      });
      return told ? <Fragment key={index}>{piece.optional.map(render)}</Fragment> : null;
    }
    const field = info.fields.find((entry) => entry.name === piece.field);
    return field ? <Chip key={index} field={field} parent={node} path={[...path, field.name]} /> : null;
  };
  return <>{pieces(info.sentence).map(render)}</>;
}
