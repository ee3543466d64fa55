/** How visible shapes are shaded, on the stage and in finished pictures alike. */

import { Color, DoubleSide, LinearSRGBColorSpace, ShaderMaterial } from "three";
import { LIGHT, noShade, type Shade } from "./light";

const VERTEX = /* glsl */ `
  varying vec3 vNormal;
  varying vec3 vSeen;
  varying vec3 vWorld;
  void main() {
    vNormal = mat3(modelMatrix) * normal;
    vec4 world = modelMatrix * vec4(position, 1.0);
    vWorld = world.xyz;
    vSeen = cameraPosition - world.xyz;
    gl_Position = projectionMatrix * viewMatrix * world;
  }
`;

const FRAGMENT = /* glsl */ `
  varying vec3 vNormal;
  varying vec3 vSeen;
  varying vec3 vWorld;
  uniform vec3 tone;
  ${LIGHT}
  void main() {
    vec3 n = normalize(vNormal);
    // Both sides of a thin shape are lit as they are seen.
    if (dot(n, vSeen) < 0.0) n = -n;
    gl_FragColor = vec4(tone * lit(vWorld, n), 1.0);
  }
`;

export function shapeMaterial(color: string, shade?: Shade): ShaderMaterial {
  const tone = new Color().setStyle(color, LinearSRGBColorSpace);
  return new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    defines: shade ? { SHADES: "" } : {},
    uniforms: { tone: { value: tone }, ...(shade ?? noShade()) },
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 1,
  });
}
