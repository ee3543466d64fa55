/** Particles that are remembered together, to follow them through time and come back to them. */

import { useApp, usePreferences, useSession } from "@/state/use";
import { Menu, type MenuEntry } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { remembered } from "@/ui/remembered";

const MOST = 12;

interface Props {
  /** Who is picked or chosen now. */
  ids: number[] | null;
  /** What they were found by, and when: what they will be called. */
  where: string;
  frame: number | null;
  onFollow: () => void;
  /** Chooses all that the table shows. */
  onAll: () => void;
}

export function Selections({ ids, where, frame, onFollow, onAll }: Props) {
  const app = useApp();
  const session = useSession();
  const all = usePreferences((state) => state.selections);
  const mine = all[session.id] ?? [];
  const put = (list: typeof mine) => app.preferences.setState({ selections: { ...all, [session.id]: list } });
  const keep = () => {
    if (!ids) return;
    const what = where || (ids.length === 1 ? `particle ${ids[0]}` : `${count(ids.length)} particles`);
    const base = frame === null ? what : `${what}, frame ${frame}`;
    const taken = new Set(mine.map(({ name }) => name));
    let name = base;
    for (let number = 2; taken.has(name); number++) name = `${base} (${number})`;
    put([...mine, { name, ids }].slice(-MOST));
  };
  const follow = (those: number[]) => {
    const one = those.length === 1;
    session.set({ chosen: one ? null : new Set(those), particle: one ? those[0]! : null, selected: null });
    onFollow();
  };
  const entries: MenuEntry[] = [
    { label: "Choose all that are shown", onSelect: onAll },
    {
      label: ids ? `Remember these ${count(ids.length)}` : "Remember who is chosen",
      disabled: !ids,
      onSelect: keep,
    },
    ...remembered(mine, {
      heading: "Follow",
      go: (entry) => follow(entry.ids),
      put,
      hint: (entry) => count(entry.ids.length),
    }),
  ];
  return (
    <Menu
      trigger={
        <button type="button" className="stage-button px-1.5">
          Selections
        </button>
      }
      entries={entries}
    />
  );
}
