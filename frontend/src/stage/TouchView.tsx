/** Where particles have touched something within the frame and a little before: a cross on the surface, a line off it, longer if harder. */

import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Vector3 } from "three";
import { answered, api } from "@/api/client";
import { useAsked } from "@/score/searching";
import { useRun, useStudio } from "@/state/use";
import { count, plain } from "@/ui/numbers";
import { useLines } from "./lines";

/** Frames before the present one whose touches are shown faintly. */
const BACK = 6;
/** How long a line is: metres at no speed, and for each metre a second; at most. */
const [SHORT, BY_SPEED, LONGEST] = [0.04, 0.03, 0.6];
/** Half the length of the arms of a cross (m). */
const ARM = 0.02;
const [NOW, EARLIER] = ["#f0c46c", "#b98b4a"];

export function TouchView() {
  const wanted = useStudio((state) => state.touches);
  const playing = useStudio((state) => state.playing);
  return wanted && !playing && <Touches />;
}

function Touches() {
  const asked = useAsked();
  const trial = useRun((state) => state.trial?.id ?? null);
  const found = useQuery({
    queryKey: ["touches", asked?.trial, asked?.frame],
    queryFn: () => {
      const params = { path: { trial_id: asked!.trial, number: asked!.frame }, query: { back: BACK } };
      return answered(api.GET("/api/trials/{trial_id}/frames/{number}/touches", { params }));
    },
    enabled: asked !== null,
    retry: false,
  }).data;
  const now = useMemo(() => segments(found, (frame) => frame === asked?.frame), [found, asked?.frame]);
  const earlier = useMemo(() => segments(found, (frame) => frame !== asked?.frame), [found, asked?.frame]);
  useLines(earlier.lines, EARLIER, 0.35);
  useLines(now.lines, NOW, 0.95);
  if (!found) return null;
  const { number } = now;
  return (
    <p role="status" className="stage-bar absolute bottom-11 left-2 gap-2 px-2 text-soft" data-testid="touches">
      {found.count === 0 ? (
        <span>Nothing was touched in this frame or the {BACK} before it.</span>
      ) : (
        <span>
          <span className="tabular text-text">{count(number)}</span> {number === 1 ? "touch" : "touches"} in this frame
          {number > 0 && (
            <>
              , the hardest <span className="tabular text-text">{plain(Number(now.hardest.toPrecision(3)))} m/s</span>
            </>
          )}
          ; faint: the {BACK} frames before it
        </span>
      )}
      {trial && (
        <a className="pointer-events-auto text-ice underline" href={`/api/trials/${trial}/touches.csv`} download>
          Save all as a table
        </a>
      )}
    </p>
  );
}

interface Told {
  places: number[];
  normals: number[];
  speeds: number[];
  frames: number[];
}

function segments(found: Told | undefined, chosen: (frame: number) => boolean) {
  const lines: number[] = [];
  let [hardest, number] = [0, 0];
  found?.frames.forEach((frame, index) => {
    if (!chosen(frame)) return;
    const length = Math.min(SHORT + BY_SPEED * found.speeds[index]!, LONGEST);
    const place = new Vector3().fromArray(found.places, 3 * index);
    const normal = new Vector3().fromArray(found.normals, 3 * index);
    lines.push(...place, ...place.clone().addScaledVector(normal, length));
    // A small cross lies on the surface.
    const across = new Vector3(Math.abs(normal.x) < 0.9 ? 1 : 0, Math.abs(normal.x) < 0.9 ? 0 : 1, 0);
    across.cross(normal).setLength(ARM);
    const along = across.clone().cross(normal);
    for (const arm of [across, along]) lines.push(...place.clone().sub(arm), ...place.clone().add(arm));
    hardest = Math.max(hardest, found.speeds[index]!);
    number += 1;
  });
  return { lines, hardest, number };
}
