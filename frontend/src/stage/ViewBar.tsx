/** Ways to look: the finished picture, views from the axes, remembered points of view, measuring, choosing many, a picture behind. */

import { Bookmark, BoxSelect, Image, Layers, Maximize, Ruler, ScanSearch, View } from "lucide-react";
import { useRef, type ReactNode } from "react";
import { useApp, usePreferences, useSession, useStudio } from "@/state/use";
import type { ViewName } from "@/state/viewpoint";
import { Hint, Menu, type MenuEntry } from "@/ui/controls";
import { remembered } from "@/ui/remembered";
import { keepReference } from "./Reference";

interface ToolProps {
  label: string;
  keys?: string;
  pressed?: boolean;
  onClick: () => void;
  children: ReactNode;
}

function Tool({ label, keys, pressed, onClick, children }: ToolProps) {
  return (
    <Hint text={keys ? `${label} (${keys})` : label}>
      <button type="button" aria-label={label} aria-pressed={pressed} onClick={onClick} className="stage-button w-7">
        {children}
      </button>
    </Hint>
  );
}

const SIDES: [ViewName, string, string][] = [
  ["front", "From the front", "1"],
  ["side", "From the side", "2"],
  ["above", "From above", "3"],
];

export function ViewBar() {
  const session = useSession();
  const tool = useStudio((state) => state.tool);
  const { viewpoint } = session;
  const selectable = useStudio((state) => state.particle !== null || state.selected?.[0] === "shapes");
  const views: MenuEntry[] = SIDES.map(([view, label, keys]) => ({
    label,
    hint: keys,
    onSelect: () => viewpoint.look(view),
  }));
  return (
    <div role="group" aria-label="Views" className="stage-bar flex-wrap">
      <Hint text="The finished picture (P)">
        <button type="button" onClick={() => session.set({ picturing: true })} className="stage-button gap-1 px-1.5">
          <Image className="size-3.5" /> Picture
        </button>
      </Hint>
      <Tool label="Everything in view" keys="0" onClick={() => viewpoint.look("home")}>
        <Maximize className="size-3.5" />
      </Tool>
      <Tool label="The chosen thing in view" keys="4" onClick={() => selectable && viewpoint.frameSelected()}>
        <ScanSearch className={`size-3.5 ${selectable ? "" : "opacity-40"}`} />
      </Tool>
      <Menu
        trigger={
          <button
            type="button"
            aria-label="Views from the sides"
            title="Views from the sides"
            className="stage-button w-7"
          >
            <View className="size-3.5" />
          </button>
        }
        entries={views}
      />
      <Bookmarks />
      <Tool
        label="Measure between two points"
        keys="W"
        pressed={tool === "measure"}
        onClick={() => session.set({ tool: tool === "measure" ? "look" : "measure", measured: null })}
      >
        <Ruler className="size-3.5" />
      </Tool>
      <Tool
        label="Choose many in a box"
        keys="Q"
        pressed={tool === "box"}
        onClick={() => session.set({ tool: tool === "box" ? "look" : "box" })}
      >
        <BoxSelect className="size-3.5" />
      </Tool>
      <More />
    </div>
  );
}

const MOST = 12;

/** Points of view that are remembered for this effect. */
function Bookmarks() {
  const app = useApp();
  const session = useSession();
  const all = usePreferences((state) => state.bookmarks);
  const mine = all[session.id] ?? [];
  const put = (list: typeof mine) => app.preferences.setState({ bookmarks: { ...all, [session.id]: list } });
  const keep = () => {
    const { position, target } = session.viewpoint.pose;
    const taken = new Set(mine.map((entry) => entry.name));
    let number = 1;
    while (taken.has(`View ${number}`)) number++;
    put([...mine, { name: `View ${number}`, position: [...position], target: [...target] }].slice(-MOST));
  };
  const entries: MenuEntry[] = [
    { label: "Remember this point of view", onSelect: keep },
    ...remembered(mine, {
      heading: "Remembered",
      go: ({ position, target }) => session.viewpoint.go({ position, target }),
      put,
    }),
  ];
  return (
    <Menu
      trigger={
        <button type="button" aria-label="Remembered views" title="Remembered views" className="stage-button w-7">
          <Bookmark className={`size-3.5 ${mine.length ? "fill-current" : ""}`} />
        </button>
      }
      entries={entries}
    />
  );
}

/** What can be shown besides: where things touch, who is far out, a picture to hold against the effect. */
function More() {
  const session = useSession();
  const touches = useStudio((state) => state.touches);
  const strays = useStudio((state) => state.strays);
  const table = useStudio((state) => state.table);
  const dialled = useStudio((state) => state.dialled);
  const values = useStudio((state) => state.values !== null);
  const file = useRef<HTMLInputElement>(null);
  const entries: MenuEntry[] = [
    {
      label: touches ? "Hide where things touch" : "Where things touch",
      hint: "X",
      onSelect: () => session.set({ touches: !touches }),
    },
    {
      label: strays ? "Close who is far out" : "Who is far out",
      hint: "Z",
      onSelect: () => session.set({ strays: !strays }),
    },
    {
      label: table ? "Close the table" : "Everybody in a table",
      hint: "I",
      onSelect: () => session.set({ table: !table }),
    },
    {
      label: values ? "Hide the values beside particles" : "A value beside each particle",
      hint: "N",
      onSelect: () => session.set({ values: values ? null : "id" }),
    },
    {
      label: dialled ? "Close the dials" : "All dials",
      hint: "K",
      onSelect: () => session.set({ dialled: !dialled }),
    },
    { label: "A reference picture behind the stage…", onSelect: () => file.current?.click() },
  ];
  return (
    <>
      <Menu
        trigger={
          <button
            type="button"
            aria-label="More to see"
            title="More to see"
            className={`stage-button w-7 ${touches || strays || table || values || dialled ? "text-ice" : ""}`}
          >
            <Layers className="size-3.5" />
          </button>
        }
        entries={entries}
      />
      <input
        ref={file}
        type="file"
        accept="image/*"
        aria-label="Reference picture"
        className="hidden"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen) void keepReference(session.id, chosen).then(() => session.set({ reference: Date.now() }));
        }}
      />
    </>
  );
}
