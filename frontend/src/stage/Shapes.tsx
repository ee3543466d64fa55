/** Shapes as the server places them: solid where visible, an outline where not, a line for paths. No code here knows how a kind is made. */

import { Line } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, EdgesGeometry, Matrix4 } from "three";
import type { Block } from "@/api/block";
import { shapeMaterial } from "./drawing/shapeMaterial";
import { Shell } from "./Shell";
import { usePicture, type FrameBlock, type ShapeHead, type ShapesHead } from "@/state/trials";

interface Props {
  block: Block<ShapesHead>;
  /** The frame on the stage: where moving shapes are in it. */
  frame: FrameBlock | null;
  selected: string | null;
  onPick: (index: number) => void;
}

export function Shapes({ block, frame, selected, onPick }: Props) {
  const dragged = usePicture((state) => state.dragged);
  return (
    <>
      {block.head.shapes.map((base) => {
        const now = frame?.head.shapes.find((shape) => shape.id === base.id);
        const source = now?.geometry && frame ? frame : block;
        return (
          <ShapeMesh
            key={base.id}
            head={{
              ...(now ?? base),
              visible: base.visible,
              ...(dragged?.id === base.id ? { matrix: dragged.matrix } : {}),
            }}
            vertices={source.arrays[`shape ${base.index}/vertices`] as Float32Array}
            faces={source.arrays[`shape ${base.index}/faces`] as Int32Array}
            chosen={base.id === selected}
            onPick={() => onPick(base.index)}
          />
        );
      })}
    </>
  );
}

const CREASE = 18;
const PLAIN = shapeMaterial("#424f57");
const CHOSEN = shapeMaterial("#556a74");

interface ShapeProps {
  head: ShapeHead;
  vertices: Float32Array;
  faces: Int32Array;
  chosen: boolean;
  onPick: () => void;
}

function ShapeMesh({ head, vertices, faces, chosen, onPick }: ShapeProps) {
  const invalidate = useThree((state) => state.invalidate);
  const matrix = useMemo(() => new Matrix4().fromArray(head.matrix), [head.matrix]);
  const [surface, edges] = useMemo(() => {
    const made = new BufferGeometry();
    made.setAttribute("position", new BufferAttribute(vertices, 3));
    made.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
    const shaded = made.toNonIndexed();
    shaded.computeVertexNormals();
    return [shaded, new EdgesGeometry(made, CREASE)];
  }, [vertices, faces]);
  useEffect(() => {
    invalidate();
    return () => {
      surface.dispose();
      edges.dispose();
    };
  }, [surface, edges, invalidate]);
  useEffect(() => invalidate(), [matrix, chosen, head.visible, invalidate]);
  const points = useMemo(
    () =>
      head.line
        ? Array.from(
            { length: vertices.length / 3 },
            (_, k) => [vertices[k * 3]!, vertices[k * 3 + 1]!, vertices[k * 3 + 2]!] as [number, number, number],
          )
        : [],
    [head.line, vertices],
  );
  const solid = head.visible && !head.region;
  const tone = chosen ? "#a9d4dc" : solid ? "#6b7c85" : "#59676e";
  return (
    <group matrix={matrix} matrixAutoUpdate={false} onDoubleClick={(event) => (event.stopPropagation(), onPick())}>
      {head.line ? (
        <Line points={points} color={tone} lineWidth={chosen ? 2.2 : 1.4} transparent opacity={chosen ? 1 : 0.75} />
      ) : faces.length === 0 ? (
        (head.visible || chosen) && <PlaceMark chosen={chosen} />
      ) : (
        <>
          {solid && (
            <mesh geometry={surface} renderOrder={-1}>
              <primitive object={chosen ? CHOSEN : PLAIN} attach="material" />
            </mesh>
          )}
          {!solid && <Shell vertices={vertices} faces={faces} strength={chosen ? 0.8 : 0.4} />}
          <lineSegments geometry={edges}>
            <lineBasicMaterial color={tone} transparent opacity={chosen ? 0.9 : solid ? 0.5 : 0.35} />
          </lineSegments>
        </>
      )}
    </group>
  );
}

const ARM = 0.07;

/** A single place: three short bars crossing in it. */
function PlaceMark({ chosen }: { chosen: boolean }) {
  const bars: [number, number, number][][] = [
    [
      [-ARM, 0, 0],
      [ARM, 0, 0],
    ],
    [
      [0, -ARM, 0],
      [0, ARM, 0],
    ],
    [
      [0, 0, -ARM],
      [0, 0, ARM],
    ],
  ];
  return (
    <>
      {bars.map((bar, index) => (
        <Line key={index} points={bar} color={chosen ? "#a9d4dc" : "#59676e"} lineWidth={chosen ? 2 : 1.2} />
      ))}
    </>
  );
}
