/** Every value of a part in one list, the ones that the sentence leaves out included; resets for each and for the whole. */

import { SlidersHorizontal } from "lucide-react";
import type { FieldInfo, KindInfo } from "@/api/client";
import { kindOf, made, withValue, type Json, type Node, type Path } from "@/state/document";
import { Button, Popover } from "@/ui/controls";
import { capitalised } from "@/ui/words";
import { fieldNow, useScore } from "./context";
import { FieldList } from "./More";
import { isList } from "./unsaid";
import { useSession } from "@/state/use";

interface Section {
  info: KindInfo;
  node: Node;
  path: Path;
}

/** The nested parts of an item that have values of their own, itself first. */
function useSections(info: KindInfo, node: Node, path: Path): Section[] {
  const { catalogue } = useScore();
  const out: Section[] = [{ info, node, path }];
  const visit = (fields: FieldInfo[], owner: Node, where: Path): void => {
    for (const field of fields) {
      if (field.type !== "slot" || field.slot === "condition") continue;
      const value = owner[field.name];
      const entries: [Node, Path][] = Array.isArray(value)
        ? (value as Node[]).map((entry, index) => [entry, [...where, field.name, index]])
        : value
          ? [[value as Node, [...where, field.name]]]
          : [];
      for (const [entry, at] of entries) {
        const kind = kindOf(catalogue, field.slot ?? "", entry.kind);
        if (kind && kind.fields.length) out.push({ info: kind, node: entry, path: at });
      }
    }
  };
  visit(info.fields, node, path);
  return out;
}

export function AllValues({ info, node, path, label }: { info: KindInfo; node: Node; path: Path; label: string }) {
  const sections = useSections(info, node, path);
  const session = useSession();
  const score = useScore();
  const resetAll = () => {
    let next = session.state.document!;
    for (const section of sections) {
      const fresh = made(section.info, session.state.document, session.state.catalogue, false);
      for (const field of section.info.fields) {
        if (field.required || field.type === "slot" || field.type === "references" || field.renews) continue;
        const first =
          field.type === "value"
            ? fieldNow(field, section.node, score.catalogue, score.effect).default
            : fresh[field.name];
        next = withValue(next, [...section.path, field.name], first as Json);
      }
    }
    session.commit(next);
  };
  return (
    <Popover
      wide
      label={`All values of ${label}`}
      trigger={
        <button type="button" aria-label={`All values of ${label}`} className="card-button [&_svg]:size-3.5">
          <SlidersHorizontal />
        </button>
      }
    >
      <h3 className="mb-2 font-medium">{label}</h3>
      {sections.map((section, index) => {
        const shown = section.info.fields.filter(
          (field) => !isList(field) && !(field.slot === "condition" && section.path[0] === "rules"),
        );
        return shown.length === 0 ? null : (
          <section key={`${index}/${section.info.kind}`} className="mb-3">
            {sections.length > 1 && <h4 className="mb-1 text-xs text-soft">{capitalised(section.info.title)}</h4>}
            <FieldList fields={shown} node={section.node} path={section.path} />
          </section>
        );
      })}
      <Button onClick={resetAll}>Reset everything here to its defaults</Button>
    </Popover>
  );
}
