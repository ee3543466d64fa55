/** A look's layers of colour, from the particle's own colour up: each a sentence, with its blend mode and strength. */

import { ArrowDown, ArrowUp, X } from "lucide-react";
import { kindOf, moved, type Node, type Path } from "@/state/document";
import { Chip } from "./Chip";
import { useScore } from "./context";
import { AddKind, Exchangeable } from "./KindPicker";
import { Noted } from "./notes";
import { Sentence } from "./Sentence";
import { Small } from "./Small";
import { useSession } from "@/state/use";

export function ColorLayers({ layers, path, chosen }: { layers: Node[]; path: Path; chosen: boolean }) {
  const session = useSession();
  const { catalogue } = useScore();
  const put = (next: Node[]) => session.edit(path, next);
  return (
    <>
      {layers.map((layer, index) => {
        const info = kindOf(catalogue, "layer", layer.kind);
        if (!info) return null;
        const inner = [...path, index];
        // Chosen, blend mode and strength are told apart from the rest even where they are at their defaults.
        const mode = info.fields.find((field) => field.name === "mode")!;
        const strength = info.fields.find((field) => field.name === "strength")!;
        const bare = {
          ...info,
          sentence: info.sentence.replace("[ by {mode}][ at {strength}]", ""),
          fields: info.fields.filter((field) => field !== mode && field !== strength),
        };
        return (
          <div key={index} className="group/layer relative pl-4 pr-[74px]" data-layer={index}>
            <span className="absolute left-0 text-soft" aria-hidden>
              {index === 0 ? "·" : "+"}
            </span>
            <Noted path={inner}>
              {index > 0 && <span className="text-soft">over it </span>}
              <Sentence
                info={chosen ? bare : info}
                node={layer}
                path={inner}
                wrapOnce
                wrapWords={(text) => (
                  <Exchangeable slot="layer" path={inner} label="Colour" text={text} present={info.kind} />
                )}
              />
              {chosen && (
                <span className="text-soft">
                  {" "}
                  · <Chip field={mode} parent={layer} path={[...inner, "mode"]} /> at{" "}
                  <Chip field={strength} parent={layer} path={[...inner, "strength"]} />
                </span>
              )}
            </Noted>
            <span className="absolute right-0 top-0 flex opacity-0 focus-within:opacity-100 group-hover/layer:opacity-100">
              {index > 0 && (
                <Small
                  label={`Under the layer below: ${info.title}`}
                  icon={<ArrowUp className="size-3" />}
                  onClick={() => put(moved(layers, index, index - 1))}
                />
              )}
              {index < layers.length - 1 && (
                <Small
                  label={`Over the layer above: ${info.title}`}
                  icon={<ArrowDown className="size-3" />}
                  onClick={() => put(moved(layers, index, index + 1))}
                />
              )}
              <Small
                label={`Remove: ${info.title}`}
                icon={<X className="size-3" />}
                onClick={() => put(layers.filter((_, at) => at !== index))}
              />
            </span>
          </div>
        );
      })}
      {chosen && layers.length > 0 && (
        <div>
          <AddKind slot="layer" path={path} label="colour over it" />
        </div>
      )}
    </>
  );
}
