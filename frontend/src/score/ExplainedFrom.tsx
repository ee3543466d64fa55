/** Asks for what is to be explained of a rule's or a look's conditions and gives it down. */

import { useMemo, type ReactNode } from "react";
import { ExplainedContext } from "./context";
import { useBranchCurves, useExplanation, type Owner } from "./explaining";

interface Props {
  owner: Owner;
  /** Whether counts are wanted, or words where nobody is caught. */
  wanted: boolean;
  /** Whether counts and their curves over time are. */
  curved: boolean;
  children: ReactNode;
}

export function ExplainedFrom({ owner, wanted, curved, children }: Props) {
  const explanation = useExplanation(owner, wanted || curved);
  const curves = useBranchCurves(owner, curved);
  const given = useMemo(
    () => ({ branches: explanation?.branches ?? null, curves, text: explanation?.text ?? null }),
    [explanation, curves],
  );
  return <ExplainedContext value={given}>{children}</ExplainedContext>;
}
