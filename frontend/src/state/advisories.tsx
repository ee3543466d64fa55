/** What the checks have to say about the document: asked for once for each commit, by one provider, and given down by place. */

import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from "react";
import { answered, api, type Advisory } from "@/api/client";
import { addressOf, pathTo, type Effect, type Json, type Path } from "./document";
import { useRun, useStudio } from "./use";

/** A change that a button makes. */
export interface Fix {
  path: Path;
  value?: Json;
  remove?: boolean;
  label: string;
}

export interface Note extends Omit<Advisory, "item" | "fix" | "others"> {
  item: Path;
  fix: Fix | null;
  /** Further changes to choose from. */
  others?: Fix[];
}

/** What a run told of births that its budget stopped. */
export const BUDGET = "budget";

export interface Check {
  list: Note[];
  /** Why there is no answer. */
  problem: string | null;
}

export interface Finding {
  code?: string;
  item: string | null;
  frame: number;
  text: string;
  fixes?: Fix[];
}

const NOTHING: Check = { list: [], problem: null };
const CheckContext = createContext<Check>(NOTHING);
/** Errors and warnings by the place that they are about. */
const PlacesContext = createContext<ReadonlyMap<string, Note[]>>(new Map());

const keyOf = (path: Path): string => path.join("/");

export function CheckProvider({ children }: { children: ReactNode }) {
  const document = useStudio((state) => state.committed);
  const findings = useRun((state) => state.trial?.findings);
  const [answer, setAnswer] = useState<Check>(NOTHING);
  useEffect(() => {
    let current = true;
    answered(api.POST("/api/effects/check", { body: document })).then(
      (found) => current && setAnswer((before) => renewed(before, found as unknown as Note[])),
      (error: Error) => current && setAnswer({ list: [], problem: error.message }),
    );
    return () => {
      current = false;
    };
  }, [document]);
  const check = useMemo<Check>(() => {
    const list = told(answer.list, (findings ?? []) as unknown as Finding[], document);
    return list === answer.list ? answer : { ...answer, list };
  }, [answer, findings, document]);
  const places = useMemo(() => {
    const map = new Map<string, Note[]>();
    for (const note of check.list) {
      if (note.level === "advice") continue;
      const key = keyOf(note.item);
      map.set(key, [...(map.get(key) ?? []), note]);
    }
    return map;
  }, [check]);
  return (
    <CheckContext value={check}>
      <PlacesContext value={places}>{children}</PlacesContext>
    </CheckContext>
  );
}

/** The answer as it is now; the one before where it says the same, so that nothing renders for it. */
const renewed = (before: Check, list: Note[]): Check =>
  before.problem === null && JSON.stringify(before.list) === JSON.stringify(list) ? before : { list, problem: null };

/** Everything that the checks have to say. */
export const useCheck = (): Check => useContext(CheckContext);

const NONE: Note[] = [];

/** The errors and warnings about exactly this place. */
export const useNotesAt = (path: Path): Note[] => useContext(PlacesContext).get(keyOf(path)) ?? NONE;

/** The errors and warnings about a place and all within it. */
export function useNotesUnder(path: Path): Note[] {
  const places = useContext(PlacesContext);
  const key = keyOf(path);
  return useMemo(
    () => [...places].flatMap(([place, notes]) => (place === key || place.startsWith(`${key}/`) ? notes : [])),
    [places, key],
  );
}

/** How the warning of growth ends as long as the budget has not been reached. */
const UNSTOPPED = /Nothing but the( particle budget of [\d,]+) stops it\.$/;

/** Once the budget has been reached, the warning of growth says so instead of that it will be; where nobody warned, it is told
 * at its rule or source. */
function told(notes: Note[], findings: Finding[], effect: Effect): Note[] {
  const hits = findings.filter((finding) => finding.code === BUDGET && finding.item);
  if (hits.length === 0) return notes;
  const warned = new Set<string>();
  const list = notes.map((note) => {
    if (note.code !== "growth") return note;
    const item = addressOf(effect, note.item.slice(0, 2));
    const hit = hits.find((finding) => finding.item === item);
    if (!hit) return note;
    warned.add(item);
    return { ...note, text: note.text.replace(UNSTOPPED, `The$1 stopped it at frame ${hit.frame}.`) };
  });
  const late = hits.flatMap((hit): Note[] => {
    const item = warned.has(hit.item!) ? null : pathTo(effect, hit.item!);
    const [fix = null, ...others] = hit.fixes ?? [];
    return item ? [{ level: "warning", item, text: hit.text, fix, others, code: BUDGET }] : [];
  });
  return [...list, ...late];
}

/** All changes that a note offers. */
export const fixesOf = ({ fix, others }: Pick<Note, "fix" | "others">): Fix[] => [
  ...(fix ? [fix] : []),
  ...(others ?? []),
];
