/** A surface seen like thin glass: its edges show, what faces the eye lets through. For boundaries of fields and shapes that are not solid. */

import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, FrontSide, ShaderMaterial, Vector3 } from "three";

const VERTEX = /* glsl */ `
  varying vec3 vNormal;
  varying vec3 vSeen;
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    vNormal = normalMatrix * normal;
    vSeen = seen.xyz;
    gl_Position = projectionMatrix * seen;
  }
`;

const FRAGMENT = /* glsl */ `
  uniform vec3 tone;
  uniform float strength;
  varying vec3 vNormal;
  varying vec3 vSeen;
  void main() {
    float facing = abs(dot(normalize(vNormal), normalize(vSeen)));
    gl_FragColor = vec4(tone, strength * (0.03 + 0.5 * pow(1.0 - facing, 3.5)));
  }
`;

const TONE = new Vector3(0.66, 0.83, 0.86);

export function Shell({ vertices, faces, strength }: { vertices: Float32Array; faces: Int32Array; strength: number }) {
  const invalidate = useThree((state) => state.invalidate);
  const geometry = useMemo(() => {
    const made = new BufferGeometry();
    made.setAttribute("position", new BufferAttribute(vertices, 3));
    made.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
    made.computeVertexNormals();
    return made;
  }, [vertices, faces]);
  const material = useMemo(
    () =>
      new ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        uniforms: { tone: { value: TONE }, strength: { value: strength } },
        transparent: true,
        depthWrite: false,
        side: FrontSide,
      }),
    [strength],
  );
  useEffect(() => {
    invalidate();
    return () => geometry.dispose();
  }, [geometry, invalidate]);
  useEffect(() => () => material.dispose(), [material]);
  return <mesh geometry={geometry} material={material} renderOrder={3} />;
}
