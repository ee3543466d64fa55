/** The ground: a grid of metres that fades into the distance. Lines thinner than a pixel fade instead of flickering. */

import { DoubleSide, Mesh, PlaneGeometry, ShaderMaterial, Vector3 } from "three";
import { LIGHT, type Shade } from "../drawing/light";

const VERTEX = /* glsl */ `
  varying vec3 vWorld;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vWorld = world.xyz;
    gl_Position = projectionMatrix * viewMatrix * world;
  }
`;

const FRAGMENT = /* glsl */ `
  varying vec3 vWorld;
  uniform vec3 middle;
  uniform float reach;
  ${LIGHT}
  float lines(float cell) {
    vec2 at = vWorld.xz / cell;
    vec2 wide = fwidth(at);
    vec2 far = abs(fract(at - 0.5) - 0.5) / wide;
    float line = 1.0 - min(1.0, min(far.x, far.y));
    // Cells of a few pixels would only be noise.
    return line * (1.0 - smoothstep(0.08, 0.3, max(wide.x, wide.y)));
  }
  void main() {
    float away = length(vWorld - middle) / reach;
    float near = 1.0 - smoothstep(0.15, 1.0, away);
    if (near <= 0.002) discard;
    float line = max(0.32 * lines(1.0), 0.6 * lines(10.0));
    float shadow = 1.0 - shaded(vWorld);
    vec3 tone = mix(vec3(0.33, 0.39, 0.42), vec3(0.0), shadow);
    gl_FragColor = vec4(tone, near * max(max(line, 0.055), 0.5 * shadow));
  }
`;

export class Ground {
  readonly object: Mesh<PlaneGeometry, ShaderMaterial>;

  constructor(shade: Shade, shades: boolean) {
    const material = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      defines: shades ? { SHADES: "" } : {},
      uniforms: { middle: { value: new Vector3() }, reach: { value: 20 }, ...shade },
      transparent: true,
      depthWrite: false,
      side: DoubleSide,
    });
    const plane = new PlaneGeometry(1, 1);
    plane.rotateX(-Math.PI / 2);
    this.object = new Mesh(plane, material);
    this.object.renderOrder = -2;
    this.object.position.y = -0.002;
  }

  /** Lie around what is looked at, as far as one sees. */
  lie(middle: Vector3, reach: number): void {
    this.object.position.set(middle.x, -0.002, middle.z);
    this.object.scale.set(reach * 2, 1, reach * 2);
    this.object.material.uniforms.middle!.value.copy(middle).setY(0);
    this.object.material.uniforms.reach!.value = reach;
  }

  dispose(): void {
    this.object.geometry.dispose();
    this.object.material.dispose();
  }
}
