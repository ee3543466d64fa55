/** Everybody at this frame as a table under the stage: select there, see here, and back. */

import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useApp, usePreferences, useSession, useStudio } from "@/state/use";
import { IconButton, Menu } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { cx } from "@/ui/cx";
import { save } from "@/ui/save";
import { idsShown, ROWS, useRowOf, useTableFrame, useWindows, whole, type Asked } from "./asking";
import { Group, SideBySide, cellOf, widthOf } from "./Cells";
import { Toggle, Typed, useUnits } from "./parts";
import { Selections } from "./Selections";

const FIRST = ["age", "speed", "radius", "position"];
const HIGH = 24;
const NUMBER = 84;
const GROUP = 136;

export function TableDrawer() {
  const app = useApp();
  const session = useSession();
  const effect = useStudio((state) => state.document);
  const picked = useStudio((state) => state.particle);
  const chosen = useStudio((state) => state.chosen);
  const kept = usePreferences((state) => state.tables[session.id]) ?? { columns: FIRST, where: "" };
  const keep = (change: Partial<typeof kept>) =>
    app.preferences.setState((state) => ({ tables: { ...state.tables, [session.id]: { ...kept, ...change } } }));
  const [order, setOrder] = useState<{ sort: number | null; descending: boolean }>({ sort: null, descending: false });
  const [only, setOnly] = useState(false);
  const [beside, setBeside] = useState(false);
  const [problem, setProblem] = useState("");
  const some = useMemo(
    () => (chosen && chosen.size > 0 ? [...chosen].sort((a, b) => a - b) : picked !== null ? [picked] : null),
    [chosen, picked],
  );
  const asked: Asked = useMemo(
    () => ({ columns: kept.columns, where: kept.where, ...order, only: only || beside ? some : null }),
    [kept.columns, kept.where, order, only, beside, some],
  );
  const at = useTableFrame();
  const [near, setNear] = useState<number[]>([0]);
  const windows = useWindows(at, asked, near);
  const first = windows.find((found) => found !== undefined);
  const rows = first?.count ?? 0;
  const box = useRef<HTMLDivElement>(null);
  // The library keeps its own state; React's compiler leaves the component as it is.
  // eslint-disable-next-line react-hooks/incompatible-library
  const list = useVirtualizer({
    count: rows,
    getScrollElement: () => box.current,
    estimateSize: () => HIGH,
    overscan: 24,
  });
  const shown = list.getVirtualItems();
  const [from, to] = [shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0];
  const wanted = useMemo(() => {
    // What lies ahead and behind is there before one comes to it.
    const [least, most] = [Math.floor(from / ROWS) - 1, Math.floor(to / ROWS) + 1];
    const last = Math.max(0, Math.ceil(rows / ROWS) - 1);
    const numbers = [];
    for (let number = Math.max(0, least); number <= Math.min(most, last); number++) numbers.push(number);
    return numbers.length ? numbers : [0];
  }, [from, to, rows]);
  useEffect(() => setNear(wanted), [wanted]);

  // Whoever is picked on the stage comes into view here.
  const row = useRowOf(at, asked, picked);
  const clicked = useRef<number | null>(null);
  useEffect(() => {
    if (row !== null && clicked.current !== picked) list.scrollToIndex(row, { align: "center" });
    clicked.current = null;
    // Only somebody else, or another place, is a reason to move.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [row, picked]);

  const pick = (id: number, more: boolean) => {
    clicked.current = id;
    if (!more) return session.set({ particle: id, chosen: null, selected: null, lens: "probe" });
    const next = new Set(chosen ?? (picked !== null ? [picked] : []));
    if (!next.delete(id)) next.add(id);
    session.set({ chosen: next, selected: null });
  };
  const sortBy = (place: number) =>
    setOrder((before) =>
      before.sort !== place
        ? { sort: place, descending: false }
        : before.descending
          ? { sort: null, descending: false }
          : { sort: place, descending: true },
    );
  const withColumns = (columns: string[]) => {
    setOrder({ sort: null, descending: false });
    keep({ columns });
  };
  const chooseAll = async () => {
    if (!at) return;
    const ids = await idsShown(at, asked);
    if (ids.length) session.set({ chosen: new Set(ids), selected: null });
  };
  const take = async (ending: "csv" | "tsv" | "parquet") => {
    if (!at) return;
    try {
      setProblem("");
      const { name, content } = await whole(at, asked, ending);
      if (ending === "tsv") return await navigator.clipboard.writeText(await content.text());
      save(name, content);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  const walk = (event: KeyboardEvent) => {
    const by = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
    if (!by || rows === 0) return;
    event.preventDefault();
    const next = Math.min(rows - 1, Math.max(0, (row ?? -1) + by));
    const window_ = windows[near.indexOf(Math.floor(next / ROWS))];
    const id = window_?.ids[next % ROWS];
    if (id === undefined) return;
    pick(id, false);
    list.scrollToIndex(next);
  };
  const columns = first?.columns ?? [];
  const units = useUnits();
  const template = `${NUMBER}px ${GROUP}px ${kept.columns.map((_text, place) => `${widthOf(columns[place])}px`).join(" ")} 1fr`;
  const two = beside && windows[0]?.ids.length === 2 ? windows[0] : null;
  return (
    <section aria-label="Table" className="flex h-[38%] min-h-52 shrink-0 flex-col border-t border-line bg-panel">
      <div className="flex shrink-0 items-center gap-2 border-b border-line px-3 py-1 text-xs">
        <span role="status" className="tabular shrink-0 text-soft">
          {first ? `${count(rows)} of ${count(first.of)}, frame ${at?.frame}` : "reading…"}
        </span>
        <Typed
          label="Only those for whom"
          placeholder="only those for whom…  speed > 2"
          value={kept.where}
          fault={first?.fault ?? ""}
          onKeep={(where) => keep({ where })}
          className="min-w-24 flex-1"
        />
        <Typed
          label="Add a column"
          placeholder="+ column: name, formula"
          value=""
          fault=""
          onKeep={(text) => text && withColumns([...kept.columns, text])}
          className="w-36 shrink-0"
        />
        {some && (
          <Toggle on={only} onClick={() => (setOnly(!only), setBeside(false))}>
            {some.length > 1 ? `Only these ${some.length}` : "Only the picked"}
          </Toggle>
        )}
        {some?.length === 2 && (
          <Toggle on={beside} onClick={() => setBeside(!beside)}>
            Side by side
          </Toggle>
        )}
        <Selections
          ids={some}
          where={kept.where}
          frame={at?.frame ?? null}
          onFollow={() => (setOnly(true), setBeside(false))}
          onAll={() => void chooseAll()}
        />
        <Menu
          trigger={
            <button type="button" className="stage-button px-1.5">
              Take away
            </button>
          }
          entries={[
            { label: "Copy, for a spreadsheet", onSelect: () => void take("tsv") },
            { label: "Save as CSV", onSelect: () => void take("csv") },
            { label: "Save as Parquet", onSelect: () => void take("parquet") },
          ]}
        />
        <IconButton label="Close the table" keys="I" onClick={() => session.set({ table: false })}>
          <X />
        </IconButton>
      </div>
      {problem && (
        <p role="alert" className="shrink-0 px-3 py-1 text-xs text-ember">
          {problem}
        </p>
      )}
      {two ? (
        <div className="min-h-0 flex-1 overflow-auto">
          <SideBySide effect={effect} found={two} />
        </div>
      ) : (
        <div
          ref={box}
          role="grid"
          aria-label="Particles at this frame"
          aria-rowcount={rows}
          tabIndex={0}
          onKeyDown={walk}
          className="min-h-0 flex-1 overflow-auto text-[12.5px]"
        >
          <div
            role="row"
            className="sticky top-0 z-10 grid min-w-full bg-panel text-soft"
            style={{ gridTemplateColumns: template }}
          >
            <span role="columnheader" className="px-3 py-1">
              id
            </span>
            <span role="columnheader" className="px-2 py-1">
              group
            </span>
            {kept.columns.map((text, place) => (
              <span key={`${place} ${text}`} role="columnheader" className="group flex min-w-0 items-center px-2 py-1">
                <button
                  type="button"
                  aria-label={`Sort by ${[text, units.get(text)].filter(Boolean).join(" ")}`}
                  title={columns[place]?.fault || `Sort by ${text}`}
                  className={cx(
                    "min-w-0 truncate font-mono hover:text-text",
                    columns[place]?.fault ? "text-ember" : order.sort === place && "text-text",
                  )}
                  onClick={() => sortBy(place)}
                >
                  {text}
                  {units.get(text) && <span className="font-sans text-soft"> {units.get(text)}</span>}
                </button>
                {order.sort === place &&
                  (order.descending ? (
                    <ArrowDown className="size-3 shrink-0" />
                  ) : (
                    <ArrowUp className="size-3 shrink-0" />
                  ))}
                <button
                  type="button"
                  aria-label={`Remove the column ${text}`}
                  className="ml-auto shrink-0 opacity-0 focus-visible:opacity-100 group-hover:opacity-100"
                  onClick={() => withColumns(kept.columns.filter((_entry, other) => other !== place))}
                >
                  <X className="size-3" />
                </button>
              </span>
            ))}
          </div>
          <div className="relative" style={{ height: list.getTotalSize() }}>
            {shown.map(({ index, start }) => {
              const found = windows[near.indexOf(Math.floor(index / ROWS))];
              const place = index % ROWS;
              const id = found?.ids[place];
              if (!found || id === undefined) return null;
              const marked = id === picked || chosen?.has(id);
              return (
                <div
                  key={index}
                  role="row"
                  aria-rowindex={index + 1}
                  aria-selected={marked}
                  data-row={index}
                  onClick={(event) => pick(id, event.ctrlKey || event.metaKey || event.shiftKey)}
                  className={cx("absolute grid w-full cursor-pointer hover:bg-raised", marked && "bg-ice/15")}
                  style={{ top: start, height: HIGH, gridTemplateColumns: template }}
                >
                  <span role="gridcell" className="tabular px-3 leading-6">
                    {id}
                  </span>
                  <span role="gridcell" className="flex min-w-0 px-2 leading-6">
                    <Group effect={effect} id={found.groups[place]!} />
                  </span>
                  {found.columns.map((column, column_) => (
                    <span key={column_} role="gridcell" className="tabular truncate whitespace-pre px-2 leading-6">
                      {cellOf(column, place)}
                    </span>
                  ))}
                </div>
              );
            })}
          </div>
          {first && rows === 0 && (
            <p className="p-4 text-soft">
              {first.of === 0 ? "There is nobody at this frame." : "This is true for nobody at this frame."}
            </p>
          )}
        </div>
      )}
    </section>
  );
}
