/** What the stage tells in words: what is ringed, what is being computed, what went wrong, how large a metre is. */

import { useEffect } from "react";
import { lastFrame } from "@/state/run";
import { useNow, useRun, useSession, useStudio } from "@/state/use";
import { ruleName } from "@/score/numbering";
import { count, plain } from "@/ui/numbers";
import { waitsFor } from "@/ui/words";

const LENGTHS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500];
/** How long a hint stays (milliseconds). */
const HINT = 6000;

export function Told({ metre, coarse }: { metre: number; coarse: boolean }) {
  const dialled = useStudio((state) => state.dialled);
  return (
    <div className="pointer-events-none absolute inset-y-0 left-0 right-[var(--lens)] text-xs text-soft">
      <div
        data-float
        className={`absolute top-20 flex max-w-[60%] flex-col items-start gap-1.5 ${dialled ? "left-[312px]" : "left-3"}`}
      >
        <ToolHint />
        <Alone />
        <Ringed />
        <ChosenMany />
      </div>
      <div data-float className="absolute bottom-3 right-3 flex flex-col items-end gap-1.5">
        <Progress />
        {coarse && <p className="rounded bg-panel/85 px-2 py-1">drawn coarsely while it is turned</p>}
        <Scale metre={metre} />
      </div>
      <Messages />
      <Before />
    </div>
  );
}

function Scale({ metre }: { metre: number }) {
  const nice = metre > 0 ? (LENGTHS.find((length) => length * metre > 56) ?? 500) : 1;
  return (
    <div className="flex items-center gap-2 rounded bg-stage/60 px-1.5 py-0.5 @max-xs:hidden">
      <span className="inline-block h-[5px] border border-t-0 border-soft/70" style={{ width: nice * metre }} />
      <span className="tabular">{plain(nice)} m</span>
    </div>
  );
}

function ToolHint() {
  const tool = useStudio((state) => state.tool);
  const half = useStudio((state) => state.measured !== null && state.measured.to === null);
  if (tool === "look") return null;
  const words =
    tool === "box" ? "Drag a box around particles" : half ? "Click the second point" : "Click the first of two points";
  return (
    <p role="status" className="rounded bg-panel/90 px-2 py-1 text-brass">
      {words}
    </p>
  );
}

function Alone() {
  const session = useSession();
  const solo = useStudio((state) => state.solo);
  const rules = useStudio((state) => state.document.rules);
  const catalogue = useStudio((state) => state.catalogue);
  if (solo.length === 0) return null;
  const index = rules.findIndex((rule) => rule.id === solo[0]);
  const who = solo.length === 1 ? `rule ${ruleName(rules, index, catalogue)} is` : `${solo.length} rules are`;
  return (
    <div role="status" className="rounded bg-panel/90 px-2 py-1 text-brass">
      Only {who} run
      <button type="button" className="pointer-events-auto ml-2 text-ice" onClick={() => session.runAlone([])}>
        run all
      </button>
    </div>
  );
}

function Ringed() {
  const session = useSession();
  const highlight = useStudio((state) => state.highlight);
  const highlighted = useStudio((state) => state.highlighted);
  const frame = useStudio((state) => (state.highlight ? state.frame : 0));
  if (!highlight) return null;
  return (
    <div className="rounded bg-panel/85 px-2 py-1 text-text">
      Ringed: {highlight.label}
      {highlighted && (
        <span className="tabular text-soft">
          {` · ${count(highlighted.ids.size)} of ${count(highlighted.of)} `}
          {highlighted.turn ? `at its turn in frame ${frame}` : `at the end of frame ${frame}`}
          {highlighted.left && `, ${count(highlighted.left.head.count)} where they left`}
        </span>
      )}
      {highlight.pinned && (
        <button
          type="button"
          className="pointer-events-auto ml-2 text-ice"
          onClick={() => session.set({ highlight: null, highlighted: null })}
        >
          unpin
        </button>
      )}
    </div>
  );
}

function ChosenMany() {
  const session = useSession();
  const chosen = useStudio((state) => state.chosen);
  if (!chosen) return null;
  return (
    <div role="status" className="rounded bg-panel/85 px-2 py-1 text-text" data-testid="chosen">
      <span className="tabular">{count(chosen.size)}</span> chosen
      <button type="button" className="pointer-events-auto ml-2 text-ice" onClick={() => session.set({ chosen: null })}>
        let go
      </button>
    </div>
  );
}

/** What is being computed, where the stage has to wait for it. */
function Progress() {
  const last = useStudio((state) => lastFrame(state.document));
  const words = useNow((_now, frame, { trial, shown }) => {
    if (!trial) return "";
    const waiting = frame >= trial.computed && trial.state === "computing";
    const old = shown !== null && shown.trial !== trial.id;
    if (!waiting && !old) return "";
    return trial.waiting ? waitsFor(trial.waiting) : `computing frame ${Math.min(trial.computed, last)} of ${last}`;
  });
  return words ? (
    <p role="status" className="tabular max-w-56 rounded bg-panel/85 px-2 py-1 text-brass">
      {words}
    </p>
  ) : null;
}

/** What stands in the way of a run: the document, or the server, which is asked again. */
function refused({ message, status }: { message: string; status: number }): [title: string, text: string] {
  if (status === 0) return ["The server does not answer.", "It is asked again; what you change is kept here."];
  if (status === 404) return ["This effect is no longer there.", `${message}.`];
  if (status >= 500) return ["Not computed yet.", `${message} It is asked again.`];
  return ["This cannot run as it is.", `${message}. The picture shows the last state that could.`];
}

function Messages() {
  const session = useSession();
  const hint = useStudio((state) => state.hint);
  const refusal = useRun((state) => state.refusal);
  const failure = useRun((state) => (state.trial?.state === "failed" ? state.trial.message : null));
  useEffect(() => {
    if (!hint) return;
    const timer = setTimeout(() => session.set({ hint: null }), HINT);
    return () => clearTimeout(timer);
  }, [hint, session]);
  return (
    <div className="absolute bottom-12 left-1/2 flex w-[70%] -translate-x-1/2 flex-col items-center gap-2">
      {hint && (
        <div role="status" className="rounded border border-line bg-panel/95 px-3 py-2 text-text">
          {hint}
        </div>
      )}
      {(refusal || failure) && (
        <div role="alert" className="rounded border border-ember/40 bg-panel/95 px-3 py-2 text-ember">
          <b className="font-medium">{refusal ? refused(refusal)[0] : "The run failed."}</b>{" "}
          {refusal ? refused(refusal)[1] : failure}
        </div>
      )}
    </div>
  );
}

function Before() {
  const before = useStudio((state) => state.before);
  const any = useStudio((state) => state.past.length > 0);
  return before ? (
    <p role="status" className="absolute left-1/2 top-3 -translate-x-1/2 rounded bg-brass px-2 py-1 text-stage">
      {any ? "as it was before the last edit" : "nothing has been edited yet"}
    </p>
  ) : null;
}
