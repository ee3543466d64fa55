/** All looks of a frame on the stage. Rings mark the highlighted ones. */

import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo, useReducer } from "react";
import type { LayerData } from "./drawing/data";
import { DrawnLayer, Ordering } from "./drawing/DrawnLayer";
import { drawnInSoftware } from "./renderer";

interface Props {
  layers: LayerData[];
  trial: string;
  marked: Set<number> | null;
  dim: boolean;
}

export function ParticleLayers({ layers, trial, marked, dim }: Props) {
  const { size, viewport, camera, invalidate } = useThree();
  const [fetched, again] = useReducer((times: number) => times + 1, 0);
  const drawn = useMemo(
    () =>
      layers.map(
        (data, rank) =>
          new DrawnLayer(
            data,
            { trial, marked, dim, quads: !drawnInSoftware, merged: drawnInSoftware, onReady: again },
            rank,
          ),
      ),
    // What was on its way when the layers were made is there now: made again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [layers, trial, marked, dim, fetched],
  );
  const ordering = useMemo(() => new Ordering(), []);
  useEffect(() => () => drawn.forEach((layer) => layer.dispose()), [drawn]);
  useEffect(() => invalidate(), [drawn, camera, size, viewport.dpr, invalidate]);
  // Right before drawing, never later: without its scale a layer would take everything for tiny and blow it up over the whole stage.
  useFrame(() => {
    const half = "fov" in camera ? Math.tan(((camera.fov as number) * Math.PI) / 360) : 1;
    const density = viewport.dpr;
    const view = {
      scale: (size.height * density) / (2 * half),
      density,
      width: size.width * density,
      height: size.height * density,
    };
    drawn.forEach((layer) => layer.look(view));
    ordering.update(drawn, camera);
  });
  return (
    <>
      {drawn.map((layer, index) => (
        <primitive key={index} object={layer.object} />
      ))}
    </>
  );
}
