/** The picture that a stage opens with; it fades once the stage itself is drawn. */

import { useState } from "react";
import { cx } from "@/ui/cx";

export function OpeningPicture({ picture, drawn = false }: { picture: string; drawn?: boolean }) {
  const [over, setOver] = useState(false);
  if (over) return null;
  return (
    <img
      src={picture}
      alt=""
      data-opening
      className={cx(
        "pointer-events-none absolute inset-0 h-full w-full object-cover transition-opacity duration-200",
        drawn && "opacity-0",
      )}
      onTransitionEnd={() => setOver(true)}
      onError={() => setOver(true)}
    />
  );
}
