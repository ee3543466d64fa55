/** The passes that turn samples into a picture: summing light, spreading what is bright, and coding it for the screen (IEC 61966-2-1). */

import {
  GLSL3,
  HalfFloatType,
  FloatType,
  LinearFilter,
  Mesh,
  NearestFilter,
  NoBlending,
  OrthographicCamera,
  PlaneGeometry,
  RGBAFormat,
  Scene,
  ShaderMaterial,
  UnsignedByteType,
  Vector2,
  WebGLRenderTarget,
  type Texture,
  type TextureDataType,
  type WebGLRenderer,
} from "three";

const VERTEX = /* glsl */ `
  out vec2 at;
  void main() {
    at = uv;
    gl_Position = vec4(position.xy, 0.0, 1.0);
  }
`;

const TRANSFER = /* glsl */ `
  vec3 toLight(vec3 c) {
    // Light that was added beyond white goes on straight, and only so far: it is there to glow, not to swallow the picture.
    vec3 white = min(c, 1.0);
    vec3 light = mix(white / 12.92, pow((max(white, vec3(0.04045)) + 0.055) / 1.055, vec3(2.4)), step(vec3(0.04045), white));
    return light + min((c - white) * 2.27, 2.5);
  }
  vec3 toEncoded(vec3 l) {
    return mix(l * 12.92, 1.055 * pow(max(l, vec3(0.0031308)), vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), l));
  }
`;

/** One more sample on the sum of those before. */
const SUM = /* glsl */ `
  precision highp float;
  in vec2 at;
  out vec4 color;
  uniform sampler2D sum;
  uniform sampler2D taken;
  uniform float first;
  ${TRANSFER}
  void main() {
    vec3 light = toLight(max(texture(taken, at).rgb, 0.0));
    color = vec4(first > 0.5 ? light : texture(sum, at).rgb + light, 1.0);
  }
`;

/** What is bright enough to glow. */
const BRIGHT = /* glsl */ `
  precision highp float;
  in vec2 at;
  out vec4 color;
  uniform sampler2D sum;
  uniform float samples;
  uniform float from;
  ${TRANSFER}
  void main() {
    vec3 light = texture(sum, at).rgb / samples;
    float tone = max(toEncoded(light).r, max(toEncoded(light).g, toEncoded(light).b));
    color = vec4(light * smoothstep(from, from + 0.25, tone), 1.0);
  }
`;

/** Half the size: thirteen taps that overlap, so that nothing small flickers. */
const SMALLER = /* glsl */ `
  precision highp float;
  in vec2 at;
  out vec4 color;
  uniform sampler2D source;
  uniform vec2 pixel;
  vec3 tap(float x, float y) { return texture(source, at + vec2(x, y) * pixel).rgb; }
  void main() {
    vec3 inner = tap(-1.0, -1.0) + tap(1.0, -1.0) + tap(-1.0, 1.0) + tap(1.0, 1.0);
    vec3 outer = tap(-2.0, -2.0) + tap(2.0, -2.0) + tap(-2.0, 2.0) + tap(2.0, 2.0);
    vec3 cross_ = tap(0.0, -2.0) + tap(0.0, 2.0) + tap(-2.0, 0.0) + tap(2.0, 0.0);
    color = vec4(inner * 0.125 + outer * 0.03125 + cross_ * 0.0625 + tap(0.0, 0.0) * 0.125, 1.0);
  }
`;

/** Twice the size, laid over the level below with a share. */
const LARGER = /* glsl */ `
  precision highp float;
  in vec2 at;
  out vec4 color;
  uniform sampler2D source;
  uniform sampler2D below;
  uniform vec2 pixel;
  uniform float share;
  vec3 tap(float x, float y) { return texture(source, at + vec2(x, y) * pixel).rgb; }
  void main() {
    vec3 sides = tap(-1.0, 0.0) + tap(1.0, 0.0) + tap(0.0, -1.0) + tap(0.0, 1.0);
    vec3 corners = tap(-1.0, -1.0) + tap(1.0, -1.0) + tap(-1.0, 1.0) + tap(1.0, 1.0);
    vec3 wide = tap(0.0, 0.0) * 4.0 + sides * 2.0 + corners;
    color = vec4(mix(texture(below, at).rgb, wide / 16.0, share), 1.0);
  }
`;

const CODE = /* glsl */ `
  precision highp float;
  in vec2 at;
  out vec4 color;
  uniform sampler2D sum;
  uniform sampler2D glow;
  uniform float samples;
  uniform float strength;
  ${TRANSFER}
  void main() {
    vec3 light = texture(sum, at).rgb / samples;
    if (strength > 0.0) light += texture(glow, at).rgb * strength;
    color = vec4(toEncoded(clamp(light, 0.0, 1.0)), 1.0);
  }
`;

const LEVELS = 7;

export interface Glow {
  strength: number;
  from: number;
  /** Part of the picture's height. */
  size: number;
}

export class Passes {
  readonly taken: WebGLRenderTarget;
  private sums: [WebGLRenderTarget, WebGLRenderTarget];
  private readonly levels: WebGLRenderTarget[] = [];
  private readonly blurred: WebGLRenderTarget[] = [];
  private readonly coded: WebGLRenderTarget;
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly sheet = new Mesh(new PlaneGeometry(2, 2));
  private readonly materials: Record<"sum" | "bright" | "smaller" | "larger" | "code", ShaderMaterial>;
  count = 0;

  constructor(
    private readonly renderer: WebGLRenderer,
    readonly width: number,
    readonly height: number,
  ) {
    const target = (w: number, h: number, type: TextureDataType, depth = false, smooth = false) =>
      new WebGLRenderTarget(w, h, {
        type,
        format: RGBAFormat,
        depthBuffer: depth,
        minFilter: smooth ? LinearFilter : NearestFilter,
        magFilter: smooth ? LinearFilter : NearestFilter,
      });
    this.taken = target(width, height, HalfFloatType, true);
    this.sums = [target(width, height, FloatType), target(width, height, FloatType)];
    this.coded = target(width, height, UnsignedByteType);
    for (let level = 0, w = width, h = height; level < LEVELS && Math.min(w, h) > 4; level++) {
      this.levels.push(target(w, h, HalfFloatType, false, true));
      this.blurred.push(target(w, h, HalfFloatType, false, true));
      [w, h] = [Math.max(1, w >> 1), Math.max(1, h >> 1)];
    }
    const made = (fragmentShader: string, uniforms: Record<string, unknown>) =>
      new ShaderMaterial({
        glslVersion: GLSL3,
        vertexShader: VERTEX,
        fragmentShader,
        uniforms: Object.fromEntries(Object.entries(uniforms).map(([name, value]) => [name, { value }])),
        depthTest: false,
        depthWrite: false,
        blending: NoBlending,
      });
    this.materials = {
      sum: made(SUM, { sum: null, taken: null, first: 1 }),
      bright: made(BRIGHT, { sum: null, samples: 1, from: 1 }),
      smaller: made(SMALLER, { source: null, pixel: new Vector2() }),
      larger: made(LARGER, { source: null, below: null, pixel: new Vector2(), share: 0.5 }),
      code: made(CODE, { sum: null, glow: null, samples: 1, strength: 0 }),
    };
    this.scene.add(this.sheet);
    this.sheet.frustumCulled = false;
  }

  restart(): void {
    this.count = 0;
  }

  /** Add what has just been drawn into `taken`. */
  add(): void {
    const [from, into] = this.sums;
    this.run("sum", into, { sum: from.texture, taken: this.taken.texture, first: this.count === 0 ? 1 : 0 });
    this.sums = [into, from];
    this.count++;
  }

  /** The picture of the samples so far, on the screen or, without, into a buffer that can be read. */
  show(glow: Glow, onScreen: boolean): void {
    const sum = this.sums[0].texture;
    const samples = Math.max(1, this.count);
    if (glow.strength > 0 && this.levels.length > 1) {
      this.run("bright", this.levels[0]!, { sum, samples, from: glow.from });
      for (let level = 1; level < this.levels.length; level++) {
        const above = this.levels[level - 1]!;
        this.run("smaller", this.levels[level]!, {
          source: above.texture,
          pixel: new Vector2(1 / above.width, 1 / above.height),
        });
      }
      // How far it spreads decides which levels weigh most: a level is twice as wide as the one before.
      const reach = Math.log2(Math.max(2, glow.size * this.height));
      let wide = this.levels.at(-1)!;
      for (let level = this.levels.length - 2; level >= 0; level--) {
        const share = 1 / (1 + Math.exp(level + 1.5 - reach));
        this.run("larger", this.blurred[level]!, {
          source: wide.texture,
          below: this.levels[level]!.texture,
          pixel: new Vector2(1 / wide.width, 1 / wide.height),
          share,
        });
        wide = this.blurred[level]!;
      }
    }
    this.run("code", onScreen ? null : this.coded, {
      sum,
      samples,
      strength: glow.strength,
      glow: this.blurred[0]?.texture ?? sum,
    });
  }

  /** The picture as rows of RGBA bytes, the top row first. */
  read(): Uint8Array {
    const pixels = new Uint8Array(this.width * this.height * 4);
    this.renderer.readRenderTargetPixels(this.coded, 0, 0, this.width, this.height, pixels);
    const row = this.width * 4;
    const line = new Uint8Array(row);
    for (let top = 0, bottom = this.height - 1; top < bottom; top++, bottom--) {
      line.set(pixels.subarray(top * row, top * row + row));
      pixels.copyWithin(top * row, bottom * row, bottom * row + row);
      pixels.set(line, bottom * row);
    }
    return pixels;
  }

  dispose(): void {
    [this.taken, ...this.sums, ...this.levels, ...this.blurred, this.coded].forEach((target) => target.dispose());
    Object.values(this.materials).forEach((material) => material.dispose());
    this.sheet.geometry.dispose();
  }

  private run(
    name: keyof Passes["materials"],
    into: WebGLRenderTarget | null,
    values: Record<string, Texture | number | Vector2 | null>,
  ): void {
    const material = this.materials[name];
    for (const [uniform, value] of Object.entries(values)) material.uniforms[uniform]!.value = value;
    this.sheet.material = material;
    this.renderer.setRenderTarget(into);
    this.renderer.render(this.scene, this.camera);
    this.renderer.setRenderTarget(null);
  }
}
