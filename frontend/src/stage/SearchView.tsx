/** What the picked particle sees in a neighbourhood: its reach and angle of view, a line to each one found with its place
 * in the order, and the middle of all of them, as they were when the rules of the frame acted. */

import { useMemo, useRef } from "react";
import { Vector3 } from "three";
import { useSearch, type Search } from "@/score/searching";
import type { Neighbourhood } from "@/state/document";
import { useStudio } from "@/state/use";
import { count, plain } from "@/ui/numbers";
import { usePin } from "./engine";
import { useLines } from "./lines";

type View = NonNullable<Search["view"]>;

/** Beyond these only lines are drawn. */
const MOST_NUMBERS = 12;
const ROUND = 72;

export function SearchView() {
  const particle = useStudio((state) => state.particle);
  const hood = useStudio((state) => {
    const chosen = state.selected?.[0] === "neighbourhoods" ? Number(state.selected[1]) : 0;
    return state.document.neighbourhoods[chosen] ?? null;
  });
  const playing = useStudio((state) => state.playing);
  return hood && particle !== null && !playing && <Seen key={hood.id} hood={hood} particle={particle} />;
}

function Seen({ hood, particle }: { hood: Neighbourhood; particle: number }) {
  const found = useSearch(hood.id, particle);
  return found?.view && <Drawn hood={hood} view={found.view} />;
}

function Drawn({ hood, view }: { hood: Neighbourhood; view: View }) {
  useLines(
    useMemo(() => reachOf(view), [view]),
    "#a9d4dc",
    0.35,
  );
  useLines(
    useMemo(() => view.places.flatMap((place) => [...view.place, ...place]), [view]),
    "#e3e8e6",
    0.75,
  );
  return (
    <>
      {view.places.slice(0, MOST_NUMBERS).map((place, index) => (
        <Numbered key={view.ids[index]} place={place} words={String(index + 1)} />
      ))}
      {view.middle && view.count > 1 && <Middle place={view.middle} />}
      <p role="status" className="stage-bar absolute left-3 top-12 px-2 text-soft" data-testid="seen">
        <span>
          {hood.label}: <span className="tabular text-text">{count(view.count)}</span> found within{" "}
          <span className="tabular">{plain(Number(view.reach.toPrecision(3)))} m</span>
          {view.distances.length > 0 && (
            <>
              , the nearest <span className="tabular">{plain(Number(view.distances[0]!.toPrecision(3)))} m</span> away
            </>
          )}
        </span>
      </p>
    </>
  );
}

/** A ball of the reach as three rounds; where it looks ahead only, the rim of what it sees and four lines to that. */
function reachOf({ place, reach, heading, angle }: View): number[] {
  const centre = new Vector3().fromArray(place);
  if (!heading) {
    const axes = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];
    return axes.flatMap((_axis, k) => round(centre, axes[(k + 1) % 3]!, axes[(k + 2) % 3]!, reach));
  }
  const ahead = new Vector3().fromArray(heading);
  const across = new Vector3(0, 1, 0).cross(ahead);
  if (across.lengthSq() < 1e-6) across.set(1, 0, 0);
  across.normalize();
  const up = ahead.clone().cross(across);
  const half = (Math.min(angle, 360) / 2) * (Math.PI / 180);
  const rim = centre.clone().addScaledVector(ahead, Math.cos(half) * reach);
  const wide = Math.sin(half) * reach;
  const sides = [across, across.clone().negate(), up, up.clone().negate()];
  return [
    ...round(rim, across, up, wide),
    ...sides.flatMap((side) => [...place, ...rim.clone().addScaledVector(side, wide).toArray()]),
    // How far it reaches between its sides.
    ...[across, up].flatMap((side) => arc(centre, ahead, side, reach, half)),
  ];
}

function round(centre: Vector3, across: Vector3, up: Vector3, radius: number): number[] {
  return arc(centre, across, up, radius, Math.PI);
}

/** An arc about `ahead`, from −half to half toward `side`, as segments. */
function arc(centre: Vector3, ahead: Vector3, side: Vector3, radius: number, half: number): number[] {
  const points = Array.from({ length: ROUND + 1 }, (_, k) => {
    const turn = half * ((2 * k) / ROUND - 1);
    return centre
      .clone()
      .addScaledVector(ahead, Math.cos(turn) * radius)
      .addScaledVector(side, Math.sin(turn) * radius)
      .toArray();
  });
  return points.slice(1).flatMap((point, k) => [...points[k]!, ...point]);
}

function Numbered({ place, words }: { place: number[]; words: string }) {
  const label = useRef<HTMLSpanElement>(null);
  const at = useMemo(() => new Vector3().fromArray(place), [place]);
  usePin(label, at, 18);
  return (
    <span ref={label} className="pin tabular pointer-events-none rounded bg-panel/80 px-1 text-xs text-text">
      {words}
    </span>
  );
}

/** Where all of those found are on average. */
function Middle({ place }: { place: number[] }) {
  const mark = useRef<HTMLSpanElement>(null);
  const at = useMemo(() => new Vector3().fromArray(place), [place]);
  usePin(mark, at);
  return (
    <span ref={mark} title="The middle of all those found" className="pin pointer-events-none">
      <span className="block size-2.5 rotate-45 border border-ice bg-panel/60" />
    </span>
  );
}
