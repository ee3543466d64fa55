/** What stands in the editor besides the text: a line's value at its end, the wrong word underlined, a value where one rests. */

import { StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView, WidgetType, hoverTooltip, type DecorationSet } from "@codemirror/view";
import type { components } from "@/api/generated";
import { plain, short } from "@/ui/numbers";

export type Looked = components["schemas"]["LookedOut"];
export type Given = components["schemas"]["GivenOut"];

/** What was found, and the units of what is known by name. */
export const setLooked = StateEffect.define<{ looked: Looked | null; units: Map<string, string> }>();

/** A value as it is read: a number, three, or yes and no. */
export function written(values: readonly number[], type: Given["type"]): string {
  if (type === "flag") return values[0] ? "yes" : "no";
  if (values.length === 3) return `(${values.map(short).join(", ")})`;
  return plain(values[0]!);
}

/** The range of a value over those that are looked at. */
export function spanned({ low, high, type }: Given): string {
  if (!low || !high) return "nobody";
  if (type === "flag") return low[0] === high[0] ? written(low, type) : "yes or no";
  const [least, most] = [written(low, type), written(high, type)];
  return least === most ? least : `${least} … ${most}`;
}

class LineValue extends WidgetType {
  constructor(private readonly text: string) {
    super();
  }
  override eq(other: LineValue): boolean {
    return other.text === this.text;
  }
  toDOM(): HTMLElement {
    const shown = document.createElement("span");
    shown.className = "cm-given";
    // Drawn by style, not written: a browser that replaces what is chosen could keep a text as part of the formula.
    shown.dataset.given = this.text;
    shown.setAttribute("aria-hidden", "true");
    return shown;
  }
}

function decorated(
  looked: Looked | null,
  units: Map<string, string>,
  document: EditorView["state"]["doc"],
): DecorationSet {
  const found = [];
  const values = new Map((looked?.values ?? []).filter(({ line }) => line > 0).map((value) => [value.line, value]));
  for (const [number, value] of values) {
    if (number > document.lines) continue;
    const unit = units.get(value.name);
    const text = [value.own ? written(value.own, value.type) : spanned(value), unit].filter(Boolean).join(" ");
    found.push(Decoration.widget({ widget: new LineValue(text), side: 1 }).range(document.line(number).to));
  }
  const fault = looked?.fault;
  if (fault && fault.line <= document.lines) {
    const line = document.line(fault.line);
    const from = Math.min(line.from + fault.column - 1, line.to);
    const quoted = /["']/.test(document.sliceString(from, from + 1)) ? 2 : 0;
    const to = Math.min(fault.wrong ? from + fault.wrong.length + quoted : from + 1, line.to);
    if (to > from) found.push(Decoration.mark({ class: "cm-wrong" }).range(from, to));
  }
  return Decoration.set(found, true);
}

interface Marks {
  looked: Looked | null;
  units: Map<string, string>;
  set: DecorationSet;
}

const marks = StateField.define<Marks>({
  create: () => ({ looked: null, units: new Map<string, string>(), set: Decoration.none }),
  update(before, transaction) {
    for (const effect of transaction.effects)
      if (effect.is(setLooked)) {
        const { looked, units } = effect.value;
        return { looked, units, set: decorated(looked, units, transaction.state.doc) };
      }
    return transaction.docChanged ? { ...before, set: before.set.map(transaction.changes) } : before;
  },
  provide: (field) => EditorView.decorations.from(field, ({ set }) => set),
});

/** What a word gives, for the picked particle and over the group. */
const resting = hoverTooltip((view, at) => {
  const line = view.state.doc.lineAt(at);
  const inside = at - line.from;
  const word = [...line.text.matchAll(/[A-Za-z_]\w*/g)].find(
    (match) => match.index <= inside && inside <= match.index + match[0].length,
  );
  if (!word) return null;
  const { looked, units } = view.state.field(marks);
  // The latest line at or above this one that gives it a value; else what is read under that name.
  const value = (looked?.values ?? [])
    .filter(({ line: number, name }) => number <= line.number && (name === word[0] || name.startsWith(`${word[0]}(`)))
    .sort((one, other) => other.line - one.line)[0];
  if (!value) return null;
  return {
    pos: line.from + word.index,
    end: line.from + word.index + word[0].length,
    above: true,
    create: () => {
      const dom = document.createElement("div");
      dom.className = "cm-resting";
      const own = value.own ? `${written(value.own, value.type)} · ` : "";
      const name = value.name.endsWith("()") ? word[0] : value.name;
      dom.textContent = [`${name}: ${own}${spanned(value)}`, units.get(name)].filter(Boolean).join(" ");
      return { dom };
    },
  };
});

export const live = [marks, resting];
