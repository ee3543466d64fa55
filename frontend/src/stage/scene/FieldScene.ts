/** A field on the stage: its boundaries as thin shells, and a coloured slice through it. */

import {
  BufferAttribute,
  BufferGeometry,
  ClampToEdgeWrapping,
  DataTexture,
  DoubleSide,
  Group,
  LinearFilter,
  Mesh,
  RedFormat,
  ShaderMaterial,
  UnsignedByteType,
  type Material,
} from "three";
import { asBytes, asFloats, asWhole, type Block } from "@/api/block";
import { shellOf } from "./shell";

export interface FieldHead {
  field: string;
  low: number[];
  high: number[];
  boundaries: string[];
  line: [number[], number[]] | null;
  slice: {
    axis: string;
    at: number;
    corner: number[];
    across: number[];
    up: number[];
    width: number;
    height: number;
  };
}

const VERTEX = /* glsl */ `
  varying vec2 vPlace;
  void main() {
    vPlace = uv;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }
`;

const FRAGMENT = /* glsl */ `
  uniform sampler2D values;
  varying vec2 vPlace;
  void main() {
    float v = texture2D(values, vPlace).r;
    vec3 low = mix(vec3(0.16, 0.18, 0.34), vec3(0.20, 0.48, 0.55), v * 2.0);
    vec3 high = mix(vec3(0.20, 0.48, 0.55), vec3(0.86, 0.95, 0.90), v * 2.0 - 1.0);
    vec3 tone = v < 0.5 ? low : high;
    // Lines at a quarter, a half (the strongest) and three quarters.
    float wide = fwidth(v) * 1.2 + 1e-4;
    float half_ = 1.0 - smoothstep(0.0, wide * 1.4, abs(v - 0.5));
    float others = 1.0 - smoothstep(0.0, wide, min(abs(v - 0.25), abs(v - 0.75)));
    float flat_ = step(fwidth(v), 1e-4);
    float line = max(half_, 0.45 * others) * (1.0 - flat_);
    gl_FragColor = vec4(mix(tone, vec3(0.95, 0.98, 0.97), line * 0.75), mix(0.16, 0.62, v) + 0.25 * line);
  }
`;

export class FieldScene {
  readonly object = new Group();

  /** Show a field, or none. */
  put(block: Block<FieldHead> | null, sliced: boolean): void {
    this.clear();
    if (!block) return;
    if (sliced) this.object.add(sliceOf(block));
    for (const name of block.head.boundaries) {
      const strength = name === "outer" ? 0.55 : 0.8;
      this.object.add(shellOf(asFloats(block, `${name}/vertices`), asWhole(block, `${name}/faces`), strength));
    }
  }

  dispose(): void {
    this.clear();
  }

  private clear(): void {
    for (const child of [...this.object.children]) {
      this.object.remove(child);
      if (!(child instanceof Mesh)) continue;
      child.geometry.dispose();
      const material = child.material as Material;
      if (material instanceof ShaderMaterial) material.uniforms.values?.value?.dispose();
      material.dispose();
    }
  }
}

function sliceOf(block: Block<FieldHead>): Mesh {
  const { corner, across, up, width, height } = block.head.slice;
  const texture = new DataTexture(asBytes(block, "slice"), width, height, RedFormat, UnsignedByteType);
  texture.magFilter = texture.minFilter = LinearFilter;
  texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
  texture.unpackAlignment = 1;
  texture.needsUpdate = true;
  const at = (a: number, b: number) => corner.map((value, k) => value + across[k]! * a + up[k]! * b);
  const geometry = new BufferGeometry();
  const corners = new Float32Array([...at(0, 0), ...at(1, 0), ...at(1, 1), ...at(0, 1)]);
  geometry.setAttribute("position", new BufferAttribute(corners, 3));
  geometry.setAttribute("uv", new BufferAttribute(new Float32Array([0, 0, 1, 0, 1, 1, 0, 1]), 2));
  geometry.setIndex([0, 1, 2, 0, 2, 3]);
  const material = new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    uniforms: { values: { value: texture } },
    transparent: true,
    depthWrite: false,
    side: DoubleSide,
  });
  const mesh = new Mesh(geometry, material);
  mesh.renderOrder = 2;
  return mesh;
}
