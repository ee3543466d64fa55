/** How visible shapes are shaded, on the stage and in finished pictures alike: one lamp from above, a weaker one from behind. Colours stay sRGB-encoded. */

import { Color, DoubleSide, LinearSRGBColorSpace, ShaderMaterial } from "three";

const VERTEX = /* glsl */ `
  varying vec3 vNormal;
  varying vec3 vSeen;
  void main() {
    vNormal = mat3(modelMatrix) * normal;
    vec4 world = modelMatrix * vec4(position, 1.0);
    vSeen = cameraPosition - world.xyz;
    gl_Position = projectionMatrix * viewMatrix * world;
  }
`;

const FRAGMENT = /* glsl */ `
  varying vec3 vNormal;
  varying vec3 vSeen;
  uniform vec3 tone;
  void main() {
    vec3 n = normalize(vNormal);
    // Both sides of a thin shape are lit as they are seen.
    if (dot(n, vSeen) < 0.0) n = -n;
    float light = 0.48 + 0.42 * max(0.0, dot(n, normalize(vec3(3.0, 8.0, 4.0)))) + 0.14 * max(0.0, dot(n, normalize(vec3(-6.0, 3.0, -4.0))));
    gl_FragColor = vec4(tone * light, 1.0);
  }
`;

export function shapeMaterial(color: string): ShaderMaterial {
  const tone = new Color().setStyle(color, LinearSRGBColorSpace);
  return new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    uniforms: { tone: { value: tone } },
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 1,
  });
}
