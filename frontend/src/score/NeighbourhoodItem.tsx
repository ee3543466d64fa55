/** A neighbourhood in the score: who looks among whom, how many of them found anybody, and why where nobody did. */

import { memo } from "react";
import type { Neighbourhood } from "@/state/document";
import { useStudio } from "@/state/use";
import { Hint } from "@/ui/controls";
import { count } from "@/ui/numbers";
import { Card } from "./cards";
import { useSearch } from "./searching";

export const NeighbourhoodItem = memo(function NeighbourhoodItem({
  hood,
  index,
}: {
  hood: Neighbourhood;
  index: number;
}) {
  const info = useStudio((state) => state.catalogue.parts.neighbourhood!);
  const found = useSearch(hood.id);
  return (
    <Card
      collection="neighbourhoods"
      item={hood}
      index={index}
      info={info}
      aside={
        found && (
          <Hint text={`${hood.label}: how many of those who look find anybody at this frame.`}>
            <span className="tabular whitespace-nowrap px-1 text-xs text-soft" data-count={found.finding}>
              <span className="sr-only">{hood.label}: how many find anybody: </span>
              <span className={found.finding ? "text-text" : ""}>{count(found.finding)}</span> of {count(found.seekers)}
            </span>
          </Hint>
        )
      }
      below={found?.text && <p className="pb-1 text-xs leading-5 text-soft">{found.text}</p>}
    />
  );
});
