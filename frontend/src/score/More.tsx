/** The values that a sentence leaves unsaid, since they are at their defaults: behind three dots at its end. What is said once it has
 * been edited stays in the list as long as that is open. */

import { RotateCcw } from "lucide-react";
import { useState } from "react";
import type { FieldInfo, KindInfo } from "@/api/client";
import { same, type Json, type Node, type Path } from "@/state/document";
import { IconButton, Popover } from "@/ui/controls";
import { capitalised, unmarked } from "@/ui/words";
import { Chip } from "./Chip";
import { fieldNow, offered, useScore } from "./context";
import { useSession } from "@/state/use";
import { cx } from "@/ui/cx";

interface Props {
  info: KindInfo;
  fields: FieldInfo[];
  node: Node;
  path: Path;
}

export function More({ info, fields, node, path }: Props) {
  const [open, setOpen] = useState(false);
  if (fields.length === 0 && !open) return null;
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      label={`More of ${info.title}`}
      trigger={
        <button
          type="button"
          aria-label={`More of ${info.title}: ${fields.map((field) => field.label.toLowerCase()).join(", ")}`}
          title={`More: ${fields.map((field) => field.label.toLowerCase()).join(", ")}`}
          className={cx(
            "more -my-1 ml-1 inline-grid size-6 place-items-center rounded align-middle text-xs",
            "leading-none text-soft opacity-0 hover:bg-raised hover:text-ice",
            "focus-visible:opacity-100 data-[state=open]:opacity-100 group-hover/card:opacity-100",
          )}
        />
      }
    >
      <h3 className="mb-1 font-medium">{capitalised(info.title)}</h3>
      <FieldList fields={fields} node={node} path={path} />
    </Popover>
  );
}

/** Fields as a list of their labels and values, each with a way back to its default; seeds, of which one is as good as another, last.
 * What is in it stays in it, though a sentence says it by now. */
export function FieldList({ fields: given, node, path }: { fields: FieldInfo[]; node: Node; path: Path }) {
  const session = useSession();
  const { catalogue, effect } = useScore();
  const [first] = useState(given);
  const isSeed = (field: FieldInfo) => field.name === "seed";
  const fields = [...first, ...given.filter((field) => !first.includes(field))];
  const declared = fields
    .filter((field) => offered(field, node))
    .sort((one, other) => Number(isSeed(one)) - Number(isSeed(other)));
  const shown = declared.map((field) => fieldNow(field, node, catalogue, effect));
  return (
    <ul className="divide-y divide-line/50">
      {shown.map((field, place) => {
        const inner = [...path, field.name];
        const changed =
          !field.required && field.type !== "references" && !same(node[field.name], (field.default ?? null) as Json);
        return (
          <li
            key={field.name}
            title={unmarked(field.help ?? "")}
            className="grid min-h-7 grid-cols-[116px_1fr_28px] items-center gap-2 py-0.5"
          >
            <span className="text-soft">{field.label}</span>
            <span>
              <Chip field={declared[place]!} parent={node} path={inner} />
            </span>
            {changed && (
              <IconButton
                label={`Reset ${field.label}`}
                className="!size-6"
                onClick={() => session.edit(inner, field.default as Json)}
              >
                <RotateCcw />
              </IconButton>
            )}
          </li>
        );
      })}
    </ul>
  );
}
