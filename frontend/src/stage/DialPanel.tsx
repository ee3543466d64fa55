/** All dials over the stage, to be turned while it plays. */

import { RotateCcw, X } from "lucide-react";
import { Chip } from "@/score/Chip";
import { fieldNow, useScore } from "@/score/context";
import { choicesIn, chosenOf } from "@/score/dials";
import { PlainEditor } from "@/score/editors";
import { Keyable } from "@/score/Keyable";
import { Declaring } from "@/score/Score";
import { adders } from "@/state/adding";
import { same, type Dial, type Json } from "@/state/document";
import { useSession, useStudio } from "@/state/use";
import { IconButton } from "@/ui/controls";
import { cx } from "@/ui/cx";

export function DialPanel() {
  const session = useSession();
  const dials = useStudio((state) => state.document.dials);
  const beside = useStudio((state) => state.strays);
  return (
    <section
      aria-label="Dials"
      className={cx(
        "absolute top-14 z-10 flex max-h-[70%] w-72 flex-col rounded-md border border-line bg-panel/95 shadow-xl",
        beside ? "left-[344px]" : "left-3",
      )}
    >
      <div className="flex items-center justify-between border-b border-line py-0.5 pl-3 pr-1">
        <h2 className="font-medium">Dials</h2>
        <IconButton label="Close the dials" keys="K" onClick={() => session.set({ dialled: false })}>
          <X className="size-3.5" />
        </IconButton>
      </div>
      <Declaring>
        <ul className="min-h-0 divide-y divide-line/50 overflow-y-auto">
          {dials.map((dial, index) => (
            <Row key={dial.id} dial={dial} index={index} />
          ))}
        </ul>
      </Declaring>
      {dials.length === 0 && (
        <div className="space-y-2 p-3 text-soft">
          <p>A dial is a value with a name, used in as many places as you like, and turned here while it plays.</p>
          <button type="button" className="h-6 text-ice hover:underline" onClick={() => adders(session).dials.add()}>
            + dial
          </button>
        </div>
      )}
    </section>
  );
}

function Row({ dial, index }: { dial: Dial; index: number }) {
  const session = useSession();
  const { catalogue, effect } = useScore();
  const info = catalogue.parts.dial!;
  const declared = (name: string) => info.fields.find((field) => field.name === name)!;
  const value = fieldNow(declared("value"), dial, catalogue, effect);
  const plain = dial.type !== "choice" && dial.type !== "shape";
  const standard = (dial.standard ?? null) as Json;
  const moved = plain && standard !== null && !same(dial.value as Json, standard);
  return (
    <li className="px-3 py-1.5" data-dial={dial.id}>
      <div className="flex h-6 items-center justify-between">
        <span className="min-w-0 truncate">{dial.label}</span>
        {moved && (
          <IconButton
            label={`${dial.label}: back to its default`}
            className="!size-6"
            onClick={() => session.edit(["dials", index, "value"], standard)}
          >
            <RotateCcw className="size-3.5" />
          </IconButton>
        )}
        {dial.type === "shape" && <Chip field={declared("shape")} parent={dial} path={["dials", index, "shape"]} />}
      </div>
      {plain && (
        <Keyable value={dial.value as Json} path={["dials", index, "value"]} quiet>
          {(present, store) => (
            <PlainEditor
              field={{ ...value, label: dial.label }}
              value={present}
              store={store}
              path={["dials", index, "value"]}
            />
          )}
        </Keyable>
      )}
      {dial.type === "choice" && (
        <div role="group" aria-label={dial.label} className="flex flex-wrap gap-1 text-xs">
          {choicesIn(dial.options).map((name) => (
            <button
              key={name}
              type="button"
              aria-pressed={name === chosenOf(dial)}
              onClick={() => session.edit(["dials", index, "chosen"], name)}
              className={cx(
                "h-6 rounded border px-2",
                name === chosenOf(dial) ? "border-ice/60 text-ice" : "border-line text-soft hover:text-text",
              )}
            >
              {name}
            </button>
          ))}
        </div>
      )}
    </li>
  );
}
