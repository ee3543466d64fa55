/** A value beside each particle, or an arrow where it is three numbers: of those picked, chosen or ringed, else of the nearest. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useMemo, useRef } from "react";
import { Vector3 } from "three";
import { answered, api } from "@/api/client";
import { useTableFrame, type Tabled } from "@/table/asking";
import { cellOf } from "@/table/Cells";
import { Typed, useUnits } from "@/table/parts";
import { useSession, useStudio } from "@/state/use";
import { count } from "@/ui/numbers";
import { usePin } from "./engine";
import { useLines } from "./lines";

/** Of nobody in particular so many are told of, those nearest to the camera. */
const NEAREST = 120;
const MOST = 1000;
/** Labels keep so far apart (pixels). */
const APART = 22;
/** Arrows are drawn so long that the median is this share of how far away the camera is. */
const SHARE = 0.06;

export function Values() {
  const text = useStudio((state) => state.values);
  const playing = useStudio((state) => state.playing);
  return text !== null && <Beside key="values" text={text} playing={playing} />;
}

function Beside({ text, playing }: { text: string; playing: boolean }) {
  const session = useSession();
  const units = useUnits();
  const at = useTableFrame();
  const ringed = useStudio((state) => state.highlighted?.ids ?? null);
  const chosen = useStudio((state) => state.chosen);
  const picked = useStudio((state) => state.particle);
  const whom = useMemo(
    () => (ringed ? [...ringed] : chosen ? [...chosen] : picked !== null ? [picked] : null),
    [ringed, chosen, picked],
  );
  const found = useQuery({
    queryKey: ["values", at?.trial, at?.frame, text, whom],
    queryFn: () => {
      const eye = session.viewpoint.pose.position.map((part) => part.toFixed(3)).join(", ");
      const body = {
        columns: [text, "position", `distance(position, vec3(${eye}))`],
        sort: 2,
        limit: whom ? MOST : NEAREST,
        only: whom?.slice(0, 10_000) ?? null,
        ...{ who: [], where: "", descending: false, offset: 0 },
      };
      const params = { path: { trial_id: at!.trial, number: at!.frame } };
      return answered(api.POST("/api/trials/{trial_id}/frames/{number}/table", { params, body }));
    },
    enabled: at !== null && !playing,
    placeholderData: keepPreviousData,
    retry: false,
  }).data;
  const column = found?.columns[0];
  const shown = found && !column?.fault && !playing;
  return (
    <>
      {shown && column?.type === "vector" && <Arrows found={found} />}
      {shown &&
        column?.type !== "vector" &&
        found.ids.map((id, row) => <Label key={id} place={placeOf(found, row)} words={cellOf(column!, row)} />)}
      <div
        className="stage-bar pointer-events-auto absolute bottom-20 right-[calc(var(--lens)+8px)] gap-2 px-2 text-xs text-soft"
        role="group"
        aria-label="Values beside particles"
      >
        <Typed
          label="Value beside each particle"
          placeholder="id, speed, velocity, 2 * radius…"
          value={text}
          fault={column?.fault ?? ""}
          onKeep={(next) => session.set({ values: next || "id" })}
          className="w-44"
        />
        <span role="status">
          {units.get(text) && `${units.get(text)}, `}
          {found && (whom ? `of ${count(found.ids.length)}` : `of the ${count(found.ids.length)} nearest`)}
        </span>
        <button
          type="button"
          aria-label="Hide the values"
          className="stage-button px-1"
          onClick={() => session.set({ values: null })}
        >
          <X className="size-3.5" />
        </button>
      </div>
    </>
  );
}

const placeOf = (found: Tabled, row: number): number[] =>
  found.columns[1]!.values.slice(3 * row, 3 * row + 3).map((part) => part ?? 0);

function Label({ place, words }: { place: number[]; words: string }) {
  const label = useRef<HTMLSpanElement>(null);
  const [x, y, z] = place;
  const at = useMemo(() => new Vector3(x, y, z), [x, y, z]);
  usePin(label, at, APART);
  return (
    <span ref={label} data-beside className="pin pointer-events-none">
      <span className="tabular absolute left-1.5 -top-2 rounded bg-panel/75 px-1 text-[12px] leading-4 text-text">
        {words}
      </span>
    </span>
  );
}

/** A shaft and two barbs for each; all to one scale, so that they can be compared. */
function Arrows({ found }: { found: Tabled }) {
  const lines = useMemo(() => {
    const rows = found.ids.map((_id, row) => ({
      place: new Vector3().fromArray(placeOf(found, row)),
      way: new Vector3().fromArray(found.columns[0]!.values.slice(3 * row, 3 * row + 3).map((part) => part ?? 0)),
      far: found.columns[2]!.values[row] ?? 1,
    }));
    const lengths = rows
      .map(({ way }) => way.length())
      .filter((length) => length > 0)
      .sort((a, b) => a - b);
    const middle = lengths[lengths.length >> 1] ?? 1;
    const scale = ((rows[rows.length >> 1]?.far ?? 1) * SHARE) / middle;
    return rows.flatMap(({ place, way }) => {
      if (way.lengthSq() === 0) return [];
      const tip = place.clone().addScaledVector(way, scale);
      const across = new Vector3(0, 1, 0).cross(way);
      if (across.lengthSq() < 1e-12) across.set(1, 0, 0);
      const back = way.clone().multiplyScalar(-scale * 0.25);
      const barb = across.setLength(back.length() * 0.5);
      const [left, right] = [tip.clone().add(back).add(barb), tip.clone().add(back).sub(barb)];
      return [...place, ...tip, ...tip, ...left, ...tip, ...right];
    });
  }, [found]);
  useLines(lines, "#a9d4dc", 0.9);
  return null;
}
