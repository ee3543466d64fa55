/** How solid things are lit, on the stage and in finished pictures alike: a sky from above, one lamp, and the shade that things
 * cast where a card draws it. Colours stay sRGB-encoded. */

import { Matrix4, Texture, Vector3, type IUniform } from "three";

/** Where the lamp stands, as a direction in the world. */
export const LAMP = new Vector3(3, 8, 4).normalize();

/** Uniforms of the shade; one set is shared by all that receives it. */
export interface Shade {
  [name: string]: IUniform;
  shade: { value: Texture | null };
  shadeMatrix: { value: Matrix4 };
  /** 0 where nothing is cast. */
  shadeStrength: { value: number };
  /** How far the soft edge reaches, as a share of the map. */
  shadeSoft: { value: number };
}

export const noShade = (): Shade => ({
  shade: { value: null },
  shadeMatrix: { value: new Matrix4() },
  shadeStrength: { value: 0 },
  shadeSoft: { value: 0.004 },
});

/** `lit(world, normal)`: how much light reaches a place that faces a way. `shaded(world)`: the lamp's share of it, 0 in full shade. */
export const LIGHT = /* glsl */ `
  uniform sampler2D shade;
  uniform mat4 shadeMatrix;
  uniform float shadeStrength;
  uniform float shadeSoft;
  const vec3 LAMP = vec3(${LAMP.x.toFixed(4)}, ${LAMP.y.toFixed(4)}, ${LAMP.z.toFixed(4)});
  float shaded(vec3 world) {
    #ifdef SHADES
    if (shadeStrength <= 0.0) return 1.0;
    vec3 at = (shadeMatrix * vec4(world, 1.0)).xyz;
    if (at.x < 0.0 || at.y < 0.0 || at.x > 1.0 || at.y > 1.0 || at.z > 1.0) return 1.0;
    // A turned pattern for each pixel: soft edges without bands.
    float turn = 6.2832 * fract(52.9829 * fract(dot(gl_FragCoord.xy, vec2(0.06711, 0.00584))));
    vec2 c = vec2(cos(turn), sin(turn));
    float sum = 0.0;
    for (int k = 0; k < 12; k++) {
      float r = sqrt((float(k) + 0.5) / 12.0);
      float a = 2.4 * float(k);
      vec2 p = vec2(cos(a), sin(a)) * r;
      vec2 off = vec2(p.x * c.x - p.y * c.y, p.x * c.y + p.y * c.x) * shadeSoft;
      float depth = texture2D(shade, at.xy + off).r;
      sum += step(at.z - 0.0012 - 0.6 * shadeSoft * r, depth);
    }
    return mix(1.0, sum / 12.0, shadeStrength);
    #else
    return 1.0;
    #endif
  }
  float lit(vec3 world, vec3 n) {
    float sky = mix(0.30, 0.56, 0.5 + 0.5 * n.y);
    float lamp = max(0.0, dot(n, LAMP));
    return sky + 0.44 * lamp * shaded(world) + 0.08 * max(0.0, dot(n, vec3(-0.768, 0.384, -0.512)));
  }
`;
