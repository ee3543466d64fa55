/** The lens lies over the stage's edge: it opens when it has something to say, and folds away without anything moving. */

import { BookOpen, ChartArea, ChevronRight, Crosshair, TriangleAlert, type LucideIcon } from "lucide-react";
import { Tabs } from "radix-ui";
import { Suspense } from "react";
import { useCheck } from "@/state/advisories";
import type { LensTab } from "@/state/session";
import { useApp, useRun, useSession, useStudio } from "@/state/use";
import { Grip } from "@/ui/Grip";
import { Hint, IconButton } from "@/ui/controls";
import { Advisories } from "./Advisories";
import { Probe } from "./Probe";
import { LEAST, useLensWidth } from "./width";
import { cx } from "@/ui/cx";
import { late } from "@/ui/late";

const Charts = late(() => import("./Charts"), "Charts");
const Guide = late(() => import("./Guide"), "Guide");

const TABS: { id: LensTab; label: string; keys?: string; icon: LucideIcon }[] = [
  { id: "probe", label: "Probe", icon: Crosshair },
  { id: "charts", label: "Charts", keys: "C", icon: ChartArea },
  { id: "advisories", label: "Advisories", keys: "A", icon: TriangleAlert },
  { id: "guide", label: "Guide", keys: "G", icon: BookOpen },
];

export function LensPane() {
  const app = useApp();
  const session = useSession();
  const open = useStudio((state) => state.lensOpen);
  const tab = useStudio((state) => state.lens);
  const picturing = useStudio((state) => state.picturing);
  const { width, most } = useLensWidth();
  if (!open) return picturing ? null : <Edge />;
  return (
    <aside
      data-testid="lens"
      aria-label="Lens"
      className="absolute inset-y-0 right-0 z-20 border-l border-line bg-panel shadow-2xl"
      style={{ width }}
    >
      <Grip
        label="Width of the lens"
        side="left"
        width={width}
        least={LEAST}
        most={most}
        onWidth={(lensWidth) => app.preferences.setState({ lensWidth })}
      />
      <Tabs.Root
        value={tab}
        onValueChange={(next) => session.set({ lens: next as LensTab })}
        className="flex h-full flex-col"
      >
        <div className="flex h-9 shrink-0 items-center border-b border-line pl-1 pr-1">
          <Tabs.List aria-label="Lens" className="flex min-w-0 flex-1">
            {TABS.map(({ id, label }) => (
              <Tabs.Trigger
                key={id}
                value={id}
                className={cx(
                  "-mb-px flex h-9 items-center border-b-2 border-transparent px-2 text-soft",
                  "data-[state=active]:border-ice data-[state=active]:text-text",
                )}
              >
                {label}
                {id === "advisories" && <Remarks />}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <IconButton label="Fold the lens away" keys="L" onClick={() => session.set({ lensOpen: false })}>
            <ChevronRight />
          </IconButton>
        </div>
        <Tabs.Content value={tab} className="min-h-0 flex-1 overflow-y-auto">
          {tab === "probe" && <Probe />}
          {tab === "advisories" && <Advisories />}
          <Suspense fallback={<p className="p-4 text-soft">Opening…</p>}>
            {tab === "charts" && <Charts />}
            {tab === "guide" && <Guide />}
          </Suspense>
        </Tabs.Content>
      </Tabs.Root>
    </aside>
  );
}

/** Folded, its parts are buttons at the stage's edge. */
function Edge() {
  const session = useSession();
  return (
    <div role="group" aria-label="Lens" className="stage-bar absolute right-3 top-3 z-10 text-xs">
      {TABS.map(({ id, label, keys, icon: Icon }) => (
        <Hint key={id} text={keys ? `${label} (${keys})` : label}>
          <button
            type="button"
            onClick={() => session.set({ lens: id, lensOpen: true })}
            className="stage-button px-1.5"
          >
            <span className="sr-only">Open: {label}</span>
            <Icon className="size-3.5" />
            {id === "advisories" && <Remarks />}
          </button>
        </Hint>
      ))}
    </div>
  );
}

/** How many remarks there are. */
function Remarks() {
  const findings = useRun((state) => state.trial?.findings.length ?? 0);
  const number = useCheck().list.length + findings;
  return number > 0 ? <span className="tabular ml-1 rounded bg-ember/20 px-1 text-xs text-ember">{number}</span> : null;
}
