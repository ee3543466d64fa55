/** The guide: pages that ship with the app, and the help of whatever is selected, generated from the registry. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import Markdown from "react-markdown";
import { answered, api, type Catalogue, type KindInfo } from "@/api/client";
import { kindOf, listOf, nameOf, wordFor, type Collection, type Effect, type Node } from "@/state/document";
import { capitalised } from "@/ui/words";
import { useSession, useStudio } from "@/state/use";
import { cx } from "@/ui/cx";

export function Guide() {
  const session = useSession();
  const pages = useQuery({ queryKey: ["guide"], queryFn: () => answered(api.GET("/api/guide")), staleTime: Infinity });
  const catalogue = useStudio((state) => state.catalogue);
  const effect = useStudio((state) => state.document);
  const selected = useStudio((state) => state.selected);
  const page = useStudio((state) => state.guidePage);
  const [search, setSearch] = useState("");
  const open = pages.data?.find((entry) => entry.id === page);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const finds = (text: string) => words.every((word) => text.toLowerCase().includes(word));
  const kinds = catalogue ? Object.values(catalogue.slots).flat() : [];
  return (
    <div className="p-4">
      <input
        aria-label="Search the guide"
        placeholder="Search the guide"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
        className="mb-3 w-full rounded border border-line bg-stage px-2 py-1 placeholder:text-soft focus:border-ice focus:outline-none"
      />
      {words.length > 0 ? (
        <>
          {pages.data
            ?.filter((entry) => finds(`${entry.title} ${entry.text}`))
            .map((entry) => (
              <PageLink key={entry.id} id={entry.id} title={entry.title} onOpen={() => setSearch("")} />
            ))}
          {kinds
            .filter((kind) => finds(`${kind.title} ${kind.help}`))
            .map((kind, index) => (
              <KindHelp key={index} info={kind} />
            ))}
        </>
      ) : open ? (
        <article>
          <button type="button" className="mb-2 text-xs text-ice" onClick={() => session.set({ guidePage: null })}>
            ← all pages
          </button>
          <h3 className="mb-2 text-base font-medium">{open.title}</h3>
          <Text text={open.text} />
        </article>
      ) : (
        <>
          {selected && effect && catalogue && (
            <SelectedHelp
              effect={effect}
              catalogue={catalogue}
              collection={selected[0] as Collection}
              index={Number(selected[1])}
            />
          )}
          <nav aria-label="Pages of the guide">
            {pages.data?.map((entry) => (
              <PageLink key={entry.id} id={entry.id} title={entry.title} />
            ))}
          </nav>
        </>
      )}
    </div>
  );
}

function PageLink({ id, title, onOpen }: { id: string; title: string; onOpen?: () => void }) {
  const session = useSession();
  return (
    <button
      type="button"
      className="block w-full border-b border-line/50 py-1.5 text-left hover:text-ice"
      onClick={() => {
        session.set({ guidePage: id });
        onOpen?.();
      }}
    >
      {title}
    </button>
  );
}

function SelectedHelp({
  effect,
  catalogue,
  collection,
  index,
}: {
  effect: Effect;
  catalogue: Catalogue;
  collection: Collection;
  index: number;
}) {
  const whole = effect[collection] as unknown;
  const single = whole !== undefined && !Array.isArray(whole);
  const item = single ? (whole as Node) : listOf(effect, collection)[index];
  if (!item) return null;
  const word = single ? collection : wordFor(catalogue, collection);
  const part = catalogue.parts[word] ?? kindOf(catalogue, word, item.kind);
  const inner = kindsInside(item, catalogue);
  return (
    <section className="mb-5" aria-label="Help for the selected item">
      <h3 className="mb-1 font-medium">{single ? capitalised(collection) : nameOf(item, word, index)}</h3>
      {part && <Text text={part.help} />}
      {inner.map((info, at) => (
        <KindHelp key={at} info={info} />
      ))}
    </section>
  );
}

/** The kinds that an item is made of, each once. */
function kindsInside(node: Node, catalogue: Catalogue): KindInfo[] {
  const found = new Map<string, KindInfo>();
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) return value.forEach(visit);
    if (value === null || typeof value !== "object") return;
    const part = value as Node;
    for (const [slot, kinds] of Object.entries(catalogue.slots)) {
      const info = kinds.find((kind) => kind.kind === part.kind);
      if (
        info &&
        slot !== "amount" &&
        Object.keys(part).every(
          (name) =>
            name === "kind" ||
            name === "id" ||
            name === "label" ||
            name === "visible" ||
            name === "enabled" ||
            info.fields.some((field) => field.name === name),
        )
      ) {
        found.set(`${slot}/${info.kind}`, info);
      }
    }
    Object.values(part).forEach(visit);
  };
  Object.values(node).forEach(visit);
  return [...found.values()];
}

function KindHelp({ info }: { info: KindInfo }) {
  return (
    <div className="mt-3">
      <h4 className="font-medium">{capitalised(info.title)}</h4>
      <Text text={info.help} />
    </div>
  );
}

function Text({ text }: { text: string }) {
  return (
    <div
      className={cx(
        "space-y-2 leading-relaxed text-text/90 [&_code]:rounded [&_code]:bg-stage [&_code]:px-1",
        "[&_code]:font-mono [&_code]:text-[12px] [&_em]:text-ice [&_em]:not-italic [&_h2]:mt-4",
        "[&_h2]:font-medium [&_li]:ml-4 [&_ol]:list-decimal [&_ul]:list-disc",
      )}
    >
      <Markdown>{text}</Markdown>
    </div>
  );
}
