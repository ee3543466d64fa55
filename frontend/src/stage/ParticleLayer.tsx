/** One look's particles on the stage. Rings mark the highlighted ones. */

import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo, useReducer } from "react";
import type { LayerData } from "./drawing/data";
import { DrawnLayer } from "./drawing/DrawnLayer";
import { drawnInSoftware } from "./renderer";

interface Props {
  data: LayerData;
  trial: string;
  rank: number;
  marked: Set<number> | null;
  dim: boolean;
}

export function ParticleLayer({ data, trial, rank, marked, dim }: Props) {
  const { size, viewport, camera, invalidate } = useThree();
  const [fetched, again] = useReducer((times: number) => times + 1, 0);
  const layer = useMemo(
    () => new DrawnLayer(data, { trial, marked, dim, quads: !drawnInSoftware, onReady: again }, rank),
    // What was on its way when the layer was made is there now: made again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [data, trial, rank, marked, dim, fetched],
  );
  useEffect(() => () => layer.dispose(), [layer]);
  useEffect(() => {
    const half = "fov" in camera ? Math.tan(((camera.fov as number) * Math.PI) / 360) : 1;
    const density = viewport.dpr;
    layer.look({ scale: (size.height * density) / (2 * half), density, width: size.width * density, height: size.height * density });
    invalidate();
  }, [layer, camera, size, viewport.dpr, invalidate]);
  useFrame(() => layer.order(camera));
  return <primitive object={layer.object} />;
}
