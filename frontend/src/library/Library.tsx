/** The library: all effects as pictures, ways to find and keep them in order, and a way to begin. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Download, Plus, Search, X } from "lucide-react";
import { Suspense, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { answered, api } from "@/api/client";
import { Button } from "@/ui/Button";
import { bringBack, bringIn, copy, listed, remove, rename, saveToFile } from "./acts";
import { Card } from "./Card";
import { found, ORDERS, type Order } from "./sorting";
import { useApp, useConnection } from "@/state/use";
import { cx } from "@/ui/cx";
import { late } from "@/ui/late";

const Deleted = late(() => import("./Deleted"), "Deleted");
const Storage = late(() => import("./Storage"), "Storage");
const Starters = late(() => import("./Starters"), "Starters");

export function Library({ onIdle }: { onIdle: () => void }) {
  const app = useApp();
  const client = useQueryClient();
  const navigate = useNavigate();
  const news = useConnection((state) => state.libraryNews);
  const effects = useQuery({ queryKey: ["effects", "kept"], queryFn: () => listed(false) });
  const [told, setTold] = useState<{ text: string; problem?: boolean; undo?: () => void } | null>(null);
  const [words, setWords] = useState("");
  const [order, setOrder] = useState<Order>(() => (localStorage.getItem("library order") as Order | null) ?? "changed");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [latest, setLatest] = useState("");
  const [naming, setNaming] = useState("");
  const [showDeleted, setShowDeleted] = useState(false);
  const [dropping, setDropping] = useState(false);
  const [beginning, setBeginning] = useState(false);
  const search = useRef<HTMLInputElement>(null);
  const there = effects.isSuccess;
  const [settled, setSettled] = useState(false);
  useEffect(() => {
    if (!there) return;
    // What every effect needs is fetched while one is still choosing.
    const timer = setTimeout(() => {
      setSettled(true);
      onIdle();
      app.catalogue().catch(() => undefined);
    }, 60);
    return () => clearTimeout(timer);
  }, [there, app, onIdle]);
  useEffect(() => {
    // At the very beginning there is no news yet: the list is on its way.
    if (news > 0) void client.invalidateQueries({ queryKey: ["effects"] });
  }, [news, client]);
  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement;
      if (event.key === "/" && !typing) {
        event.preventDefault();
        search.current?.focus();
      }
      if (event.key === "Escape" && !typing) setChosen(new Set());
    };
    addEventListener("keydown", key);
    return () => removeEventListener("keydown", key);
  }, []);

  const shown = found(effects.data ?? [], words, order in ORDERS ? order : "changed");
  /** Does something and shows the outcome: what is told of it, and with what it is taken back. */
  const act = async <T,>(work: () => Promise<T>, done?: (result: T) => string, back?: () => void) => {
    try {
      const result = await work();
      setTold(done ? { text: done(result), undo: back } : null);
    } catch (error) {
      setTold({ text: (error as Error).message, problem: true });
    }
    await Promise.all([
      client.invalidateQueries({ queryKey: ["effects"] }),
      client.invalidateQueries({ queryKey: ["storage"] }),
    ]);
  };
  const onItsWay = useRef(false);
  /** Once, however often it is clicked before it is there. */
  const begin = async (starter: string) => {
    if (onItsWay.current) return;
    onItsWay.current = true;
    await act(async () => {
      const made = await answered(api.POST("/api/effects", { body: { starter } }));
      await navigate(`/effects/${made.id}`, { state: { fresh: true } });
    });
    onItsWay.current = false;
  };
  const choose = (id: string, range: boolean) => {
    const next = new Set(chosen);
    const [from, to] = [latest, id].map((one) => shown.findIndex((effect) => effect.id === one));
    if (range && from! >= 0)
      shown.slice(Math.min(from!, to!), Math.max(from!, to!) + 1).forEach((effect) => next.add(effect.id));
    else if (!next.delete(id)) next.add(id);
    setChosen(next);
    setLatest(id);
  };
  const nameOf = (ids: readonly string[]) =>
    ids.length === 1
      ? `‘${effects.data?.find((effect) => effect.id === ids[0])?.name ?? "the effect"}’`
      : `${ids.length} effects`;
  const deleteAll = (ids: readonly string[]) => {
    setChosen(new Set());
    const name = nameOf(ids);
    void act(
      () => each(ids, remove),
      () => `Deleted ${name}; kept for 30 days.`,
      () =>
        void act(
          () => each(ids, bringBack),
          () => `Brought back ${name}.`,
        ),
    );
  };
  const take = (files: File[]) =>
    files.length > 0 &&
    void act(
      () => bringIn(files),
      (names) => `Brought in ${names.map((name) => `‘${name}’`).join(", ")}.`,
    );
  const several = [...chosen].filter((id) => shown.some((effect) => effect.id === id));
  return (
    <div
      className="h-full overflow-y-auto"
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes("Files")) return;
        event.preventDefault();
        setDropping(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setDropping(false)}
      onDrop={(event) => {
        event.preventDefault();
        setDropping(false);
        take([...event.dataTransfer.files]);
      }}
    >
      <main className="mx-auto max-w-[1120px] px-8 pb-6 pt-8">
        <header className="mb-4 flex items-end justify-between gap-6">
          <div>
            <h1 className="flex items-center gap-3 text-[22px] font-medium">
              <Ridge /> Hailridge
            </h1>
            <p className="mt-1 text-soft">Particle effects written as sentences, seen as they work.</p>
          </div>
          <div className="flex gap-2">
            <label
              className={cx(
                "flex cursor-pointer items-center gap-1.5 rounded border border-line px-2.5 py-1",
                "leading-5 focus-within:outline-2 focus-within:outline-ice hover:bg-raised",
              )}
              title="A file with effects, or a document. It can be dropped on this page, too."
            >
              <Download className="size-4" /> Bring in…
              <input
                type="file"
                multiple
                accept=".zip,.json"
                aria-label="Bring in effects from files"
                className="sr-only"
                onChange={(event) => {
                  take([...(event.target.files ?? [])]);
                  event.target.value = "";
                }}
              />
            </label>
            <Button tone="main" className="flex items-center gap-1.5" onClick={() => setBeginning(true)}>
              <Plus className="size-4" /> New effect
            </Button>
          </div>
        </header>
        <div className="sticky top-0 z-10 -mx-1 mb-2 flex h-12 items-center gap-3 bg-panel px-1">
          {several.length > 0 ? (
            <div role="toolbar" aria-label="With the chosen effects" className="flex flex-1 items-center gap-2">
              <span className="mr-2">{several.length === 1 ? "One chosen" : `${several.length} chosen`}</span>
              <Button onClick={() => saveToFile(several)}>Save to one file</Button>
              <Button onClick={() => (setChosen(new Set()), void act(() => each(several, copy)))}>Make copies</Button>
              <Button tone="danger" onClick={() => deleteAll(several)}>
                Delete
              </Button>
              <button
                type="button"
                className="ml-2 text-soft underline hover:text-text"
                onClick={() => setChosen(new Set(shown.map((effect) => effect.id)))}
              >
                choose all
              </button>
              <button
                type="button"
                className="text-soft underline hover:text-text"
                onClick={() => setChosen(new Set())}
              >
                choose none
              </button>
            </div>
          ) : (
            <>
              <label className="flex w-72 items-center gap-2 rounded border border-line bg-raised px-2 py-1 focus-within:border-ice">
                <Search className="size-3.5 text-soft" />
                <input
                  ref={search}
                  type="search"
                  aria-label="Find an effect"
                  placeholder="Find an effect"
                  value={words}
                  onChange={(event) => setWords(event.target.value)}
                  onKeyDown={(event) => event.key === "Escape" && setWords("")}
                  className="min-w-0 flex-1 bg-transparent !outline-none placeholder:text-soft/70 [&::-webkit-search-cancel-button]:hidden"
                />
                <kbd className="tabular text-xs text-soft">/</kbd>
              </label>
              <select
                aria-label="Order of the effects"
                value={order}
                onChange={(event) => {
                  setOrder(event.target.value as Order);
                  localStorage.setItem("library order", event.target.value);
                }}
                className="rounded border border-line bg-panel px-2 py-1 text-soft"
              >
                {Object.entries(ORDERS).map(([name, label]) => (
                  <option key={name} value={name}>
                    {label}
                  </option>
                ))}
              </select>
            </>
          )}
          <span className="flex-1" />
          {told && (
            <p
              role={told.problem ? "alert" : "status"}
              className={`flex min-w-0 items-center gap-2 text-xs ${told.problem ? "text-ember" : "text-soft"}`}
            >
              <span className="line-clamp-2">{told.text}</span>
              {told.undo && (
                <button type="button" className="shrink-0 text-text underline" onClick={told.undo}>
                  Bring back
                </button>
              )}
              <button
                type="button"
                aria-label="Dismiss"
                className="shrink-0 hover:text-text"
                onClick={() => setTold(null)}
              >
                <X className="size-3.5" />
              </button>
            </p>
          )}
          {!told && words && (
            <span className="tabular text-xs text-soft">
              {shown.length} of {effects.data?.length ?? 0}
            </span>
          )}
        </div>
        {effects.isError && (
          <p role="alert" className="mb-4 text-ember">
            {(effects.error as Error).message}
          </p>
        )}
        {effects.data?.length === 0 && (
          <p className="text-soft">Nothing here yet. A new effect starts with a source that is already running.</p>
        )}
        {words && effects.data && effects.data.length > 0 && shown.length === 0 && (
          <p className="text-soft">No effect has ‘{words}’ in its name or summary.</p>
        )}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(310px,1fr))] gap-6">
          {shown.map((effect) => (
            <Card
              key={effect.id}
              effect={effect}
              chosen={chosen.has(effect.id)}
              choosing={several.length > 0}
              naming={naming === effect.id}
              onChoose={(range) => choose(effect.id, range)}
              onNaming={(on) => setNaming(on ? effect.id : "")}
              onName={(name) => void act(() => rename(effect.id, name))}
              onCopy={() => void act(() => copy(effect.id))}
              onSave={() => saveToFile([effect.id])}
              onDelete={() => deleteAll([effect.id])}
            />
          ))}
        </ul>
        <Suspense fallback={<footer className="mt-10 h-6" />}>
          {settled && <Storage onDeleted={() => setShowDeleted(true)} />}
        </Suspense>
      </main>
      {dropping && (
        <div
          className={cx(
            "pointer-events-none fixed inset-3 grid place-items-center rounded-lg border-2",
            "border-dashed border-ice bg-panel/80 text-base",
          )}
        >
          Drop to bring it into the library
        </div>
      )}
      <Suspense>
        {beginning && <Starters open onOpenChange={setBeginning} onBegin={(name) => void begin(name)} />}
        {showDeleted && <Deleted open onOpenChange={setShowDeleted} act={act} />}
      </Suspense>
    </div>
  );
}

/** One after another, so that their order stays. */
async function each(ids: readonly string[], work: (id: string) => Promise<unknown>): Promise<void> {
  for (const id of ids) await work(id);
}

/** The mark: a ridge with two stones falling on it. */
function Ridge() {
  return (
    <svg viewBox="0 0 28 20" className="h-5 w-7" aria-hidden>
      <path
        d="M1 18 13 8l14 10"
        fill="none"
        stroke="var(--ice)"
        strokeWidth="1.8"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
      <circle cx="8" cy="4" r="1.6" fill="var(--text)" />
      <circle cx="17" cy="3" r="1.1" fill="var(--soft)" />
      <circle cx="21" cy="7.5" r="1.4" fill="var(--text)" />
    </svg>
  );
}
