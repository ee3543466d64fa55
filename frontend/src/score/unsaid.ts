/** What a sentence says of a part, and what it leaves out. */

import type { FieldInfo, KindInfo } from "@/api/client";
import { same, type Node } from "@/state/document";
import { pieces, type Piece } from "./template";

/** The fields that a sentence leaves out. */
export function unsaidOf(info: KindInfo, node: Node): FieldInfo[] {
  const names = (list: Piece[]): string[] =>
    list.flatMap((piece) =>
      "field" in piece
        ? [piece.field]
        : "optional" in piece && told(piece.fields, info, node)
          ? names(piece.optional)
          : [],
    );
  const said = new Set(names(pieces(info.sentence)));
  return info.fields.filter((field) => !said.has(field.name) && !isList(field));
}

/** Lists have buttons of their own to grow by, and so have conditions that are part of others. */
export const isList = (field: FieldInfo): boolean =>
  field.type === "slot" && (!!field.many || (field.slot === "condition" && !field.optional));

/** An optional part is said when it differs from its default. */
export const told = (names: string[], info: KindInfo, node: Node): boolean =>
  names.some((name) => {
    const field = info.fields.find((entry) => entry.name === name);
    return field && !same(node[name], (field.default ?? null) as Node[string]);
  });
