/** One look's particles as points: balls and discs of their true radius, or dots of fixed width. Rings mark the highlighted ones. */

import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, ShaderMaterial, Sphere, Vector3 } from "three";
import type { LayerHead } from "@/state/trials";

export interface LayerData {
  head: LayerHead;
  position: Float32Array;
  radius: Float32Array;
  color: Uint8Array;
  id: Int32Array;
  group: Uint8Array;
  orientation?: Float32Array;
}

const VERTEX = /* glsl */ `
  attribute float radius;
  attribute vec4 tint;
  attribute float mark;
  attribute vec4 turn;
  uniform float sheet;
  uniform float ratio;
  varying vec2 vAcross;
  varying vec2 vAlong;
  varying float vFacing;
  uniform float scale;
  uniform float pixels;
  uniform float density;
  varying vec4 vTint;
  varying float vMark;
  varying float vEdge;
  vec3 turned(vec3 v) {
    vec3 t = 2.0 * cross(turn.xyz, v);
    return v + turn.w * t + cross(turn.xyz, t);
  }
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    gl_Position = projectionMatrix * seen;
    // A sheet's corners reach further than its radius.
    float reach = sheet > 0.5 ? sqrt(1.0 + ratio * ratio) : 1.0;
    float width = pixels > 0.0 ? pixels * density : 2.0 * radius * reach * scale / -seen.z;
    // Smaller than a pixel and a half would flicker; a fainter point of that size reads the same.
    float shown = max(width, 1.5 * density);
    vTint = vec4(tint.rgb, tint.a * clamp(width / shown, 0.35, 1.0));
    vMark = mark;
    float ringed = mark > 0.5 ? shown + 7.0 * density : shown;
    vEdge = shown / ringed;
    if (sheet > 0.5) {
      // A sheet's two edges as they are seen; its light comes from how it faces the lamp.
      vAcross = (modelViewMatrix * vec4(turned(vec3(ratio, 0.0, 0.0)), 0.0)).xy;
      vAlong = (modelViewMatrix * vec4(turned(vec3(0.0, 0.0, 1.0)), 0.0)).xy;
      vec3 normal = (modelViewMatrix * vec4(turned(vec3(0.0, 1.0, 0.0)), 0.0)).xyz;
      // What is seen edge-on keeps a hair of width, so that it does not vanish.
      float area = vAcross.x * vAlong.y - vAcross.y * vAlong.x;
      vec2 side = normalize(vec2(-vAlong.y, vAlong.x) + 1e-6);
      float least = 2.4 / max(shown, 4.0);
      if (abs(area) < least) vAcross += side * (dot(vAcross, side) < 0.0 ? -least : least);
      vFacing = abs(dot(normalize(normal), normalize(vec3(0.35, 0.75, 0.6))));
    }
    gl_PointSize = ringed;
  }
`;

const FRAGMENT = /* glsl */ `
  uniform float flat_;
  uniform float sheet;
  uniform float ratio;
  varying vec2 vAcross;
  varying vec2 vAlong;
  varying float vFacing;
  uniform float dim;
  uniform vec3 ring;
  varying vec4 vTint;
  varying float vMark;
  varying float vEdge;
  void main() {
    vec2 p = gl_PointCoord * 2.0 - 1.0;
    float r = length(p);
    if (r > 1.0) discard;
    if (vMark > 0.5 && r > vEdge) {
      if (r < mix(vEdge, 1.0, 0.45)) discard;
      gl_FragColor = vec4(ring, 0.95);
      return;
    }
    vec2 q = p / vEdge;
    if (sheet > 0.5) {
      // Where in the sheet this pixel lies: undo the two edges.
      vec2 at = vec2(q.x, -q.y) * sqrt(1.0 + ratio * ratio);
      float area = vAcross.x * vAlong.y - vAcross.y * vAlong.x;
      if (abs(area) < 1e-5) discard;
      vec2 place = vec2(at.x * vAlong.y - at.y * vAlong.x, vAcross.x * at.y - vAcross.y * at.x) / area;
      if (abs(place.x) > 1.0 || abs(place.y) > 1.0) discard;
      float faded = vMark > 0.5 ? 1.0 : dim;
      gl_FragColor = vec4(vTint.rgb * (0.4 + 0.62 * vFacing) * faded, vTint.a * mix(0.45, 1.0, faded));
      return;
    }
    float height = sqrt(max(0.0, 1.0 - dot(q, q)));
    vec3 normal = vec3(q.x, -q.y, height);
    float light = flat_ > 0.5 ? 1.0 : 0.42 + 0.62 * max(0.0, dot(normal, normalize(vec3(0.35, 0.75, 0.6))));
    float faded = vMark > 0.5 ? 1.0 : dim;
    gl_FragColor = vec4(vTint.rgb * light * faded, vTint.a * mix(0.45, 1.0, faded));
    if (gl_FragColor.a < 0.01) discard;
  }
`;

export function ParticleLayer({ data, marked, dim }: { data: LayerData; marked: Set<number> | null; dim: boolean }) {
  const { size, viewport, camera, invalidate } = useThree();
  const material = useMemo(
    () =>
      new ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        uniforms: { scale: { value: 1 }, pixels: { value: 0 }, density: { value: 1 }, flat_: { value: 0 }, dim: { value: 1 }, sheet: { value: 0 }, ratio: { value: 1 }, ring: { value: new Vector3(0.66, 0.83, 0.86) } },
        transparent: true,
        depthWrite: true,
      }),
    [],
  );
  const geometry = useMemo(() => {
    const made = new BufferGeometry();
    made.setAttribute("position", new BufferAttribute(data.position, 3));
    made.setAttribute("radius", new BufferAttribute(data.radius, 1));
    made.setAttribute("tint", new BufferAttribute(data.color, 4, true));
    const marks = new Float32Array(data.head.count);
    if (marked) for (let index = 0; index < marks.length; index++) marks[index] = marked.has(data.id[index] as number) ? 1 : 0;
    made.setAttribute("mark", new BufferAttribute(marks, 1));
    if (data.orientation) made.setAttribute("turn", new BufferAttribute(data.orientation, 4));
    // Never culled as a whole; computing bounds of moving points each frame would cost more than it saves.
    made.boundingSphere = new Sphere(new Vector3(), 1e9);
    return made;
  }, [data, marked]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  useEffect(() => () => material.dispose(), [material]);
  useEffect(() => {
    // A material is a handle to the graphics card, changed in place by design of three.js.
    /* eslint-disable react-hooks/immutability */
    const { uniforms } = material;
    const half = "fov" in camera ? Math.tan(((camera.fov as number) * Math.PI) / 360) : 1;
    uniforms.scale!.value = (size.height * viewport.dpr) / (2 * half);
    uniforms.density!.value = viewport.dpr;
    uniforms.pixels!.value = data.head.shader === "dot" ? data.head.pixels : 0;
    uniforms.flat_!.value = data.head.shader === "ball" ? 0 : 1;
    uniforms.dim!.value = dim ? 0.42 : 1;
    uniforms.sheet!.value = data.head.shader === "sheet" ? 1 : 0;
    uniforms.ratio!.value = data.head.ratio;
    /* eslint-enable react-hooks/immutability */
    invalidate();
  }, [material, camera, size, viewport.dpr, data, marked, dim, invalidate]);
  return <points geometry={geometry} material={material} frustumCulled={false} />;
}
