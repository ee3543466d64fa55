/** Shapes in world space, as the server gives them: solid where visible, an outline where not. No code here knows a kind of shape. */

import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, DoubleSide, EdgesGeometry } from "three";
import type { Block } from "@/api/block";
import type { ShapesHead } from "@/state/trials";

export function Shapes({ block, selected }: { block: Block<ShapesHead>; selected: string | null }) {
  return (
    <>
      {block.head.shapes.map((shape, index) => (
        <ShapeMesh
          key={shape.id}
          vertices={block.arrays[`${index}/vertices`] as Float32Array}
          faces={block.arrays[`${index}/faces`] as Int32Array}
          solid={shape.visible}
          chosen={shape.id === selected}
        />
      ))}
    </>
  );
}

const CREASE = 18;

function ShapeMesh({ vertices, faces, solid, chosen }: { vertices: Float32Array; faces: Int32Array; solid: boolean; chosen: boolean }) {
  const invalidate = useThree((state) => state.invalidate);
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
  if (faces.length === 0) return <axesHelper args={[0.3]} position={[vertices[0] ?? 0, vertices[1] ?? 0, vertices[2] ?? 0]} />;
  return (
    <group>
      {solid && (
        <mesh geometry={surface} renderOrder={-1}>
          <meshStandardMaterial color={chosen ? "#556a74" : "#424f57"} roughness={0.85} metalness={0.1} side={DoubleSide} polygonOffset polygonOffsetFactor={1} polygonOffsetUnits={1} />
        </mesh>
      )}
      <lineSegments geometry={edges}>
        <lineBasicMaterial color={chosen ? "#a9d4dc" : solid ? "#56656d" : "#59676e"} transparent opacity={chosen ? 0.9 : solid ? 0.5 : 0.35} />
      </lineSegments>
    </group>
  );
}
