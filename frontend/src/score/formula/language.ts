/** How formulas are coloured and completed: the words come from the server, which reads them. */

import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import { HighlightStyle, StreamLanguage, syntaxHighlighting, type StreamParser } from "@codemirror/language";
import { tags } from "@lezer/highlight";
import type { components } from "@/api/generated";

export type Word = components["schemas"]["WordOut"];

const CALM = /^(and|or|not|if|else|True|False)\b/;

/** Colours: what is read of the particle, what is called, what is named in quotes, numbers; the rest as it is. */
const parser = (known: () => Map<string, Word>): StreamParser<null> => ({
  name: "formula",
  startState: () => null,
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^#.*/)) return "comment";
    if (stream.match(/^"[^"\n]*"?|^'[^'\n]*'?/)) return "string";
    if (stream.match(/^(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?/)) return "number";
    if (stream.match(CALM)) return "keyword";
    const name = stream.match(/^[A-Za-z_]\w*/);
    if (name && typeof name !== "boolean") {
      const word = known().get(name[0]);
      if (word?.sort === "attribute" || word?.sort === "clock") return "propertyName";
      return stream.match(/^\s*\(/, false) ? "function" : word ? "propertyName" : "variableName";
    }
    stream.next();
    return null;
  },
  tokenTable: { function: tags.function(tags.variableName) },
});

const style = HighlightStyle.define([
  { tag: tags.number, color: "var(--brass)" },
  { tag: tags.string, color: "var(--ember)" },
  { tag: tags.propertyName, color: "var(--ice)" },
  { tag: tags.function(tags.variableName), color: "var(--text)", fontWeight: "500" },
  { tag: tags.keyword, color: "var(--soft)", fontStyle: "italic" },
  { tag: tags.comment, color: "var(--soft)" },
]);

export const language = (known: () => Map<string, Word>) => [
  StreamLanguage.define(parser(known)),
  syntaxHighlighting(style),
];

const ORDER: Record<Word["sort"], number> = {
  attribute: 6,
  clock: 5,
  thing: 4,
  quantity: 3,
  function: 2,
  constant: 1,
  snippet: 0,
};
const SORTS: Record<Word["sort"], string> = {
  attribute: "of the particle",
  clock: "time",
  thing: "of the scene",
  quantity: "of the particle",
  function: "function",
  constant: "number",
  snippet: "ready-made",
};

const option = (word: Word, units: Record<string, string>): Completion => ({
  label: word.word,
  detail: [word.type === "number" ? "" : word.type, word.unit && (units[word.unit] ?? word.unit)]
    .filter(Boolean)
    .join(" · "),
  info: word.help,
  boost: ORDER[word.sort],
  section: { name: SORTS[word.sort], rank: -ORDER[word.sort] },
  apply(view, _completion, from, to) {
    const open = word.insert.indexOf("(");
    // The cursor goes where something has to be said: into the brackets.
    const first = open < 0 ? -1 : word.insert.slice(open).search(/[a-z_]+[,)]/);
    const anchor = from + (first < 0 ? word.insert.length : open + first);
    const length = first < 0 ? 0 : /^[a-z_]+/.exec(word.insert.slice(open + first))![0].length;
    view.dispatch({
      changes: { from, to, insert: word.insert },
      selection: { anchor, head: anchor + length },
      userEvent: "input.complete",
    });
  },
});

/** Completion from all that can be named here, and what has been given a name above. */
export function completing(words: () => Word[], units: Record<string, string>) {
  return (context: CompletionContext): CompletionResult | null => {
    const typed = context.matchBefore(/[A-Za-z_][\w]*/);
    if (!typed && !context.explicit) return null;
    const own = context.state.doc
      .sliceString(0, context.pos)
      .split("\n")
      .flatMap((line) => /^\s*([A-Za-z_]\w*)\s*=[^=]/.exec(line)?.[1] ?? []);
    const known = new Set(words().map((word) => word.word));
    return {
      from: typed?.from ?? context.pos,
      options: [
        ...words().map((word) => option(word, units)),
        ...[...new Set(own)]
          .filter((name) => !known.has(name))
          .map((label) => ({ label, detail: "named above", boost: 9 })),
      ],
      validFor: /^[\w]*$/,
    };
  };
}
