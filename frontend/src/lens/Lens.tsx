/** The lens: a closer look at whatever is selected. */

import { PanelRightClose } from "lucide-react";
import { Tabs } from "radix-ui";
import { useAdvisories } from "@/state/advisories";
import { useStudio, type LensTab } from "@/state/studio";
import { IconButton } from "@/ui/controls";
import { Advisories } from "./Advisories";
import { Charts } from "./Charts";
import { Guide } from "./Guide";
import { Probe } from "./Probe";

const TABS: { id: LensTab; label: string }[] = [
  { id: "probe", label: "Probe" },
  { id: "charts", label: "Charts" },
  { id: "advisories", label: "Advisories" },
  { id: "guide", label: "Guide" },
];

export function Lens() {
  const tab = useStudio((state) => state.lens);
  const findings = useStudio((state) => state.trial?.findings.length ?? 0);
  const advisories = useAdvisories();
  const number = (advisories.data?.length ?? 0) + findings;
  return (
    <Tabs.Root
      value={tab}
      onValueChange={(next) => useStudio.setState({ lens: next as LensTab })}
      className="flex h-full flex-col border-l border-line bg-panel"
    >
      <div className="flex h-8 shrink-0 items-center border-b border-line pl-2 pr-1">
        <Tabs.List aria-label="Lens" className="flex flex-1">
          {TABS.map(({ id, label }) => (
            <Tabs.Trigger
              key={id}
              value={id}
              className="-mb-px border-b-2 border-transparent px-2.5 py-1 text-soft data-[state=active]:border-ice data-[state=active]:text-text"
            >
              {label}
              {id === "advisories" && number > 0 && (
                <span className="tabular ml-1.5 rounded bg-ember/20 px-1 text-xs text-ember">{number}</span>
              )}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <IconButton label="Fold the lens away" keys="L" onClick={() => useStudio.setState({ lensOpen: false })}>
          <PanelRightClose />
        </IconButton>
      </div>
      <Tabs.Content value="probe" className="min-h-0 flex-1 overflow-y-auto">
        <Probe />
      </Tabs.Content>
      <Tabs.Content value="charts" className="min-h-0 flex-1 overflow-y-auto">
        <Charts />
      </Tabs.Content>
      <Tabs.Content value="advisories" className="min-h-0 flex-1 overflow-y-auto">
        <Advisories />
      </Tabs.Content>
      <Tabs.Content value="guide" className="min-h-0 flex-1 overflow-y-auto">
        <Guide />
      </Tabs.Content>
    </Tabs.Root>
  );
}
