/** Finding something in the score: what one types stays, all else steps out of the way; Enter goes to the first of it. */

import { ChevronsDownUp, ChevronsUpDown, Search } from "lucide-react";
import { useEffect, useState, type RefObject } from "react";
import { useApp, usePreferences, useStudio } from "@/state/use";
import { IconButton } from "@/ui/controls";

/** Puts aside the cards that have not all of the words; returns the rest. */
function sift(list: HTMLElement | null, search: string): HTMLElement[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return [...(list?.querySelectorAll<HTMLElement>("[data-item]") ?? [])].filter((card) => {
    const said = (card.textContent ?? "").toLowerCase();
    const matches = words.every((word) => said.includes(word));
    card.toggleAttribute("data-aside", !matches);
    return matches;
  });
}

export function ScoreSearch({ list }: { list: RefObject<HTMLDivElement | null> }) {
  const app = useApp();
  const [text, setText] = useState("");
  const [found, setFound] = useState(0);
  const edition = useStudio((state) => state.edition);
  const anyFolded = usePreferences((state) => state.folded.length > 0);
  useEffect(() => {
    // eslint-disable-next-line react-hooks/set-state-in-effect -- counted in what is on the page, not known before
    setFound(sift(list.current, text).length);
  }, [text, edition, list]);
  const go = () => {
    const [first] = sift(list.current, text);
    if (!first) return;
    setText("");
    first.click();
    // All else comes back first: then it is brought into view, and one types on in it.
    setTimeout(() => {
      first.scrollIntoView({ block: "center" });
      first.querySelector<HTMLElement>(".chip")?.focus();
    }, 50);
  };
  const foldAll = () => {
    const titles = [...(list.current?.querySelectorAll<HTMLElement>("[data-part]") ?? [])];
    const all = titles.map((part) => part.dataset.part ?? "");
    app.preferences.setState({ folded: anyFolded ? [] : all });
  };
  return (
    <div className="flex h-8 shrink-0 items-center gap-2 border-b border-line px-2" role="search">
      <Search className="size-3.5 shrink-0 text-soft" aria-hidden />
      <input
        id="score-search"
        type="search"
        aria-label="Find in the score"
        placeholder="Find in the score"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter") go();
          if (event.key !== "Escape") return;
          setText("");
          event.currentTarget.blur();
        }}
        className="min-w-0 flex-1 bg-transparent py-1 placeholder:text-soft [&::-webkit-search-cancel-button]:hidden"
      />
      {text ? (
        <span role="status" className="tabular text-xs text-soft">
          {found} found
        </span>
      ) : (
        <kbd className="tabular text-xs text-soft">/</kbd>
      )}
      <IconButton label={anyFolded ? "Unfold all parts" : "Fold all parts"} className="!size-6" onClick={foldAll}>
        {anyFolded ? <ChevronsUpDown /> : <ChevronsDownUp />}
      </IconButton>
    </div>
  );
}
