/** A formula being written: coloured, completed, tried as one pauses, with what each line gives at its end. */

import { closeCompletion, autocompletion, completionKeymap, completionStatus } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { bracketMatching } from "@codemirror/language";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, tooltips } from "@codemirror/view";
import { useEffect, useRef, useState } from "react";
import { useNotesAt } from "@/state/advisories";
import { at, type Node, type Path } from "@/state/document";
import { storeAt } from "@/state/store";
import { useSession, useStudio } from "@/state/use";
import { useRuleAround, useScore } from "../context";
import { useLooked, useWords, type Slot, type Sort } from "./asking";
import { completing, language, type Word } from "./language";
import { live, setLooked } from "./live";

/** Milliseconds of rest after which a text is asked about, and after which it is kept. */
const ASK = 50;
const PAUSE = 500;

interface Props {
  label: string;
  value: string;
  path: Path;
  sort: Sort;
  slot: Slot | null;
  /** Takes Escape before the box around does; says whether it had a use for it. */
  escapeRef: React.RefObject<(() => boolean) | null>;
}

export function FormulaEditor({ label, value, path, sort, slot, escapeRef }: Props) {
  const session = useSession();
  const { catalogue } = useScore();
  const { who } = useRuleAround();
  const particle = useStudio((state) => state.particle);
  const words = useWords(sort === "field");
  const [text, setText] = useState(value);
  const { looked, current } = useLooked(text, sort, slot, who, particle);
  const notes = useNotesAt(path);
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const known = useRef<{ words: Word[]; names: Map<string, Word> }>({ words: [], names: new Map() });
  const timers = useRef<{ ask?: ReturnType<typeof setTimeout>; keep?: ReturnType<typeof setTimeout> }>({});
  const kept = useRef(value);
  const tried = useRef(value);

  useEffect(() => {
    known.current = { words, names: new Map(words.map((word) => [word.word, word])) };
  }, [words]);

  useEffect(() => {
    const clocks = timers.current;
    const commit = () => {
      clearTimeout(clocks.keep);
      const next = view.current?.state.doc.toString();
      if (next === undefined || next === kept.current) return;
      kept.current = next;
      storeAt(session, path).commit(next);
    };
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          bracketMatching(),
          EditorView.lineWrapping,
          language(() => known.current.names),
          autocompletion({
            override: [completing(() => known.current.words, catalogue.units)],
            icons: false,
          }),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
          // Lists reach beyond the box that the editor stands in.
          tooltips({ parent: document.body, position: "fixed" }),
          live,
          EditorView.contentAttributes.of({ "aria-label": label, spellcheck: "false", "data-formula": "" }),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged) return;
            clearTimeout(clocks.ask);
            clearTimeout(clocks.keep);
            clocks.ask = setTimeout(() => setText(update.state.doc.toString()), ASK);
            clocks.keep = setTimeout(commit, PAUSE);
          }),
          EditorView.domEventHandlers({ blur: () => (commit(), false) }),
        ],
      }),
    });
    view.current = made;
    escapeRef.current = () => completionStatus(made.state) !== null && closeCompletion(made);
    made.focus();
    made.dispatch({ selection: { anchor: made.state.doc.length } });
    return () => {
      commit();
      clearTimeout(clocks.ask);
      escapeRef.current = null;
      view.current = null;
      made.destroy();
    };
    // It is made once; the value is taken over below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);

  // Undone, reset or mended elsewhere.
  useEffect(() => {
    const editor = view.current;
    if (!editor || value === kept.current || value === tried.current) return;
    kept.current = tried.current = value;
    if (editor.state.doc.toString() !== value)
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
    setText(value);
  }, [value]);

  // What can be read is seen on the stage at once, before it is kept; half a word leaves the picture as it is.
  useEffect(() => {
    if (!current || !looked || looked.fault || text === tried.current) return;
    if (view.current?.state.doc.toString() !== text) return;
    tried.current = text;
    if (text !== kept.current) storeAt(session, path).try(text);
  }, [current, looked, text, session, path]);

  useEffect(() => {
    const units = new Map(words.map(({ insert, unit }) => [insert, catalogue.units[unit] ?? unit]));
    view.current?.dispatch({ effects: setLooked.of({ looked, units }) });
  }, [looked, words, catalogue]);

  const fault = looked?.fault ?? null;
  const mend = () => {
    const editor = view.current;
    if (!editor || !fault) return;
    const line = editor.state.doc.line(fault.line);
    const at = line.text.indexOf(fault.wrong, Math.max(0, fault.column - 1));
    if (at < 0) return;
    const from = line.from + at;
    editor.dispatch({ changes: { from, to: from + fault.wrong.length, insert: fault.instead } });
    editor.focus();
  };
  // The part around it keeps its place and its name in its list; nothing that is still to be kept comes after it.
  const plain = looked?.plainer as Node | null | undefined;
  const say = () => {
    if (!plain) return;
    clearTimeout(timers.current.keep);
    kept.current = view.current?.state.doc.toString() ?? kept.current;
    const around = path.slice(0, -1);
    const before = at(session.state.document, around) as Node | undefined;
    session.edit(around, before?.id === undefined ? plain : { ...plain, id: before.id });
  };
  // What the document's checks say of it beyond that it cannot be read.
  const others = fault ? [] : notes.filter((note) => note.level !== "advice");
  // Units are advice: it is computed as it stands.
  const advice = looked?.advice[0];
  return (
    <>
      <div ref={host} className="formula" data-looked={looked ? (fault ? "wrong" : "read") : "asked"} />
      <div className="mt-1 min-h-9 text-xs">
        {fault && (
          <p role="alert" className="text-ember">
            {fault.line > 1 && `Line ${fault.line}: `}
            {fault.text} (column {fault.column})
            {fault.instead && (
              <button
                type="button"
                className="ml-2 rounded border border-line px-1.5 text-text hover:border-ice"
                onClick={mend}
              >
                Take {fault.instead}
              </button>
            )}
          </p>
        )}
        {others.map((note, index) => (
          <p key={index} role="alert" className="text-ember">
            {note.text}
          </p>
        ))}
        {!fault && advice && (
          <p role="note" className="text-brass">
            {advice.line > 1 && `Line ${advice.line}: `}
            {advice.text} (column {advice.column})
          </p>
        )}
        {!fault && plain && (
          <p className="text-soft">
            A sentence says the same.
            <button
              type="button"
              className="ml-2 rounded border border-line px-1.5 text-text hover:border-ice"
              onClick={say}
            >
              Say it as a sentence
            </button>
          </p>
        )}
        {!fault && !advice && others.length === 0 && looked && (
          <p className="text-soft">
            {particle === null
              ? "At the end of each line: from the least to the most, at this frame. Pick a particle to see its own."
              : `At the end of each line: what it is for particle ${particle} at this frame. Rest on a word for its range.`}
          </p>
        )}
      </div>
    </>
  );
}
