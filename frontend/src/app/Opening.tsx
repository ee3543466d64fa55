/** The studio while its effect is on the way: its panes where they will be, and the picture that its stage opens with. */

import { OpeningPicture } from "@/stage/OpeningPicture";
import { useScoreWidth } from "./ScorePane";

export function Opening({ picture }: { picture: string | null }) {
  const { narrow, width } = useScoreWidth();
  return (
    <div className="flex h-full flex-col">
      <div className="h-10 shrink-0 border-b border-line bg-panel" />
      <div className="flex min-h-0 flex-1">
        {!narrow && <div className="shrink-0 bg-panel" style={{ width }} />}
        <div className="flex min-w-0 flex-1 flex-col">
          <div className="relative min-h-0 flex-1 bg-stage" data-tone="dark">
            {picture && <OpeningPicture picture={picture} />}
          </div>
          <div className="h-[121px] shrink-0 border-t border-line bg-panel" />
        </div>
      </div>
      <p role="status" className="sr-only">
        Opening the effect…
      </p>
    </div>
  );
}
