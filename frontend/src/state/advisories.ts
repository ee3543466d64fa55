/** What the checks have to say about the document as it was last committed. */

import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { answered, api, type Advisory } from "@/api/client";
import { addressOf, type Effect } from "./document";
import { useStudio } from "./studio";

export function useAdvisories() {
  const committed = useStudio((state) => state.committed);
  const findings = useStudio((state) => state.trial?.findings);
  const select = useCallback(
    (advisories: Advisory[]) => told(advisories, (findings ?? []) as unknown as Finding[], committed),
    [findings, committed],
  );
  return useQuery({
    queryKey: ["check", committed],
    queryFn: () => answered(api.POST("/api/effects/check", { body: committed as unknown as Record<string, never> })),
    enabled: !!committed,
    placeholderData: (before) => before,
    retry: false,
    select,
  });
}

interface Finding {
  code?: string;
  item: string | null;
  frame: number;
}

/** Once the budget has been reached, the warning of growth says so instead of that it will be. */
function told(advisories: Advisory[], findings: Finding[], effect: Effect | null): Advisory[] {
  return advisories.map((advisory) => {
    if (advisory.code !== "growth") return advisory;
    const hit = findings.find(
      (finding) =>
        finding.code === "budget" && !!effect && finding.item === addressOf(effect, advisory.item.slice(0, 2)),
    );
    return hit
      ? { ...advisory, text: advisory.text.replace(/ will stop it\.$/, ` stopped it at frame ${hit.frame}.`) }
      : advisory;
  });
}
