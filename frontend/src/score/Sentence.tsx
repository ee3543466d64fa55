/** A part of the document read as a sentence, every value a chip that is edited in place; what the sentence leaves unsaid is behind its dots. */

import { Fragment, type ReactNode } from "react";
import type { FieldInfo, KindInfo } from "@/api/client";
import { same, type Node, type Path } from "@/state/document";
import { Chip } from "./Chip";
import { More } from "./More";
import { pieces, type Piece } from "./template";

interface Props {
  info: KindInfo;
  node: Node;
  path: Path;
  /** Wraps the words between fields, for kinds that are changed by clicking their words. */
  wrapWords?: (words: string) => ReactNode;
  /** Whether what it leaves unsaid can be reached from here; items have a list of all their values beside their name. */
  whole?: boolean;
}

export function Sentence({ info, node, path, wrapWords, whole }: Props) {
  const said = new Set<string>();
  const render = (piece: Piece, index: number): ReactNode => {
    if ("words" in piece) return <Fragment key={index}>{wrapWords ? wrapWords(piece.words) : piece.words}</Fragment>;
    if ("optional" in piece) return told(piece.fields, info, node) ? <Fragment key={index}>{piece.optional.map(render)}</Fragment> : null;
    const field = info.fields.find((entry) => entry.name === piece.field);
    said.add(piece.field);
    return field ? <Chip key={index} field={field} parent={node} path={[...path, field.name]} /> : null;
  };
  const words = pieces(info.sentence).map(render);
  const unsaid = whole ? [] : info.fields.filter((field) => !said.has(field.name) && !isList(field));
  return (
    <>
      {words}
      {unsaid.length > 0 && <More info={info} fields={unsaid} node={node} path={path} />}
    </>
  );
}

/** Lists have buttons of their own to grow by. */
const isList = (field: FieldInfo): boolean => field.type === "slot" && (!!field.many || field.slot === "condition");

/** An optional part is said when it differs from its default. */
const told = (names: string[], info: KindInfo, node: Node): boolean =>
  names.some((name) => {
    const field = info.fields.find((entry) => entry.name === name);
    return field && !same(node[name], (field.default ?? null) as Node[string]);
  });
