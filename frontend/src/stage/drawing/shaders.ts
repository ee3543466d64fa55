/** What the graphics card runs: particles as balls, discs, dots, sheets and pictures; ribbons; solid forms. Colours
 * stay sRGB-encoded throughout. */

/** The lamp that shades everything, fixed to the camera. */
const LAMP = "normalize(vec3(0.35, 0.75, 0.6))";

/** Every drawn thing goes through two passes: what is solid hides what is behind it; what is not is laid over it
 * afterwards, far to near. */
const PASSES = /* glsl */ `
  uniform float pass_; // 0 solid, 1 see-through, 2 light that is added
  #ifdef SLABS
  uniform vec2 slab;
  varying float vDepth;
  #endif
  void put(vec4 color) {
    #ifdef SLABS
    // Lines reach through several slabs of depth; of each, the part within it is drawn.
    if (pass_ > 0.5 && (vDepth >= slab.x || vDepth < slab.y)) discard;
    #endif
    if (pass_ < 0.5 ? color.a < 0.98 : pass_ < 1.5 && color.a >= 0.98) discard;
    if (color.a < 0.004) discard;
    gl_FragColor = color;
  }
`;

const TURNED = /* glsl */ `
  vec3 turned(vec4 turn, vec3 v) {
    vec3 t = 2.0 * cross(turn.xyz, v);
    return v + turn.w * t + cross(turn.xyz, t);
  }
`;

/** SHAPE: 0 dot, 1 disc, 2 ball, 3 sheet, 4 picture facing the camera, 5 picture turned as the particle is. QUADS:
 * four corners a particle instead of a point. */
export const PARTICLE_VERTEX = /* glsl */ `
  attribute float radius;
  attribute vec4 tint;
  attribute float mark;
  #ifdef QUADS
  attribute vec3 place;
  #define PLACE place
  varying vec2 vAt;
  uniform vec2 viewport;
  #else
  #define PLACE position
  #endif
  #ifdef MOVING
  attribute vec3 velocity;
  uniform float shift;
  #endif
  #if SHAPE == 3 || SHAPE == 5
  attribute vec4 turn;
  varying vec2 vAcross;
  varying vec2 vAlong;
  varying float vFacing;
  #endif
  #if SHAPE >= 4
  attribute float cell;
  varying vec2 vCell;
  uniform vec2 cells;
  #endif
  #if SHAPE == 4
  attribute float roll;
  varying vec2 vRoll;
  #endif
  uniform float ratio;
  uniform float scale;
  uniform float density;
  uniform float tiny;
  varying vec4 vTint;
  varying float vMark;
  varying float vEdge;
  varying float vSoft;
  ${TURNED}
  void main() {
    vec3 at = PLACE;
    #ifdef MOVING
    at += velocity * shift;
    #endif
    vec4 seen = modelViewMatrix * vec4(at, 1.0);
    gl_Position = projectionMatrix * seen;
    // The corners of what has corners reach further than the radius.
    #if SHAPE == 3
    float reach = sqrt(1.0 + ratio * ratio);
    #elif SHAPE >= 4
    vec2 half_ = ratio > 1.0 ? vec2(1.0, 1.0 / ratio) : vec2(ratio, 1.0);
    float reach = length(half_);
    #else
    float reach = 1.0;
    #endif
    #if SHAPE == 0
    float width = 2.0 * radius * density;
    #else
    float width = 2.0 * radius * reach * scale / max(-seen.z, 1e-6);
    #endif
    // Smaller than a pixel and a half would flicker; a fainter one of that size reads the same. Tiny ones are kept in
    // sight where that is wanted.
    float shown = max(width, 1.5 * density);
    float part = clamp(width / shown, 0.0, 1.0);
    vTint = vec4(tint.rgb, tint.a * (tiny > 0.5 ? max(part, 0.4) : part * part));
    vMark = mark;
    float ringed = mark > 0.5 ? shown + 7.0 * density : shown;
    vEdge = shown / ringed;
    // One pixel of the edge, as a part of the radius.
    vSoft = min(0.5, 2.0 * density / shown);
    #if SHAPE == 3 || SHAPE == 5
    #if SHAPE == 3
    vec2 sides = vec2(ratio, 1.0);
    #else
    vec2 sides = half_;
    #endif
    // A sheet's two edges as they are seen; its light comes from how it faces the lamp.
    vAcross = (modelViewMatrix * vec4(turned(turn, vec3(sides.x, 0.0, 0.0)), 0.0)).xy / reach;
    vAlong = (modelViewMatrix * vec4(turned(turn, vec3(0.0, 0.0, SHAPE == 5 ? -sides.y : sides.y)), 0.0)).xy / reach;
    vec3 normal = (modelViewMatrix * vec4(turned(turn, vec3(0.0, 1.0, 0.0)), 0.0)).xyz;
    // What is seen edge-on keeps a hair of width, so that it does not vanish.
    float area = vAcross.x * vAlong.y - vAcross.y * vAlong.x;
    vec2 side = normalize(vec2(-vAlong.y, vAlong.x) + 1e-6);
    float least = 2.4 / max(shown, 4.0);
    if (abs(area) < least) vAcross += side * (dot(vAcross, side) < 0.0 ? -least : least);
    vFacing = abs(dot(normalize(normal), ${LAMP}));
    #endif
    #if SHAPE >= 4
    vCell = vec2(mod(cell, cells.x), floor(cell / cells.x));
    #endif
    #if SHAPE == 4
    vRoll = vec2(cos(roll), sin(roll));
    #endif
    #ifdef QUADS
    vAt = position.xy;
    gl_Position.xy += position.xy * ringed / viewport * gl_Position.w;
    if (seen.z > -1e-4) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
    #else
    gl_PointSize = ringed;
    #endif
  }
`;

export const PARTICLE_FRAGMENT = /* glsl */ `
  #ifdef QUADS
  varying vec2 vAt;
  #endif
  #if SHAPE == 3 || SHAPE == 5
  varying vec2 vAcross;
  varying vec2 vAlong;
  varying float vFacing;
  #endif
  #if SHAPE >= 4
  varying vec2 vCell;
  uniform vec2 cells;
  uniform sampler2D sheet;
  #endif
  #if SHAPE == 4
  varying vec2 vRoll;
  #endif
  uniform float ratio;
  uniform float softness;
  uniform float dim;
  uniform vec3 ring;
  varying vec4 vTint;
  varying float vMark;
  varying float vEdge;
  varying float vSoft;
  ${PASSES}
  #if SHAPE >= 4
  vec4 drawn(vec2 at) {
    // at: −1 to 1 across the cell, y up. Half a pixel is left at the rim, so that neighbours do not bleed in.
    vec2 size = vec2(textureSize(sheet, 0)) / cells;
    vec2 inside = clamp(vec2(at.x, -at.y) * 0.5 + 0.5, 0.5 / size, 1.0 - 0.5 / size);
    vec4 found = texture2D(sheet, (vCell + inside) / cells);
    return vec4(found.rgb / max(found.a, 1e-3), found.a);
  }
  #endif
  void main() {
    #ifdef QUADS
    vec2 p = vAt;
    #else
    vec2 p = vec2(gl_PointCoord.x, 1.0 - gl_PointCoord.y) * 2.0 - 1.0;
    #endif
    float r = length(p);
    if (vMark > 0.5 && r > vEdge) {
      if (r > 1.0 || r < mix(vEdge, 1.0, 0.45)) discard;
      put(vec4(ring, pass_ < 0.5 ? 1.0 : 0.0));
      return;
    }
    vec2 q = p / vEdge;
    float faded = vMark > 0.5 ? 1.0 : dim;
    float thin = vTint.a * mix(0.45, 1.0, faded);
    #if SHAPE == 3 || SHAPE == 5
    // Where in the sheet this pixel lies: undo the two edges.
    float area = vAcross.x * vAlong.y - vAcross.y * vAlong.x;
    if (abs(area) < 1e-6) discard;
    vec2 place = vec2(q.x * vAlong.y - q.y * vAlong.x, vAcross.x * q.y - vAcross.y * q.x) / area;
    if (abs(place.x) > 1.0 || abs(place.y) > 1.0) discard;
    float light = 0.4 + 0.62 * vFacing;
    #if SHAPE == 3
    put(vec4(vTint.rgb * light * faded, thin));
    #else
    vec4 found = drawn(place);
    put(vec4(vTint.rgb * found.rgb * light * faded, thin * found.a));
    #endif
    #elif SHAPE == 4
    vec2 half_ = ratio > 1.0 ? vec2(1.0, 1.0 / ratio) : vec2(ratio, 1.0);
    vec2 place = vec2(q.x * vRoll.x + q.y * vRoll.y, q.y * vRoll.x - q.x * vRoll.y) * length(half_) / half_;
    if (abs(place.x) > 1.0 || abs(place.y) > 1.0) discard;
    vec4 found = drawn(place);
    put(vec4(vTint.rgb * found.rgb * faded, thin * found.a));
    #else
    float far = length(q);
    if (far > 1.0) discard;
    #if SHAPE == 2
    vec3 normal = vec3(q, sqrt(max(0.0, 1.0 - far * far)));
    float light = 0.42 + 0.62 * max(0.0, dot(normal, ${LAMP}));
    put(vec4(vTint.rgb * light * faded, thin));
    #elif SHAPE == 1
    float soft = max(softness, 1e-4);
    put(vec4(vTint.rgb * faded, thin * (softness > 0.0 ? 1.0 - smoothstep(1.0 - soft, 1.0, far) : 1.0)));
    #else
    put(vec4(vTint.rgb * faded, thin));
    #endif
    #endif
  }
`;

/** One quad for each piece of a ribbon; its ends are cut along the bisector of the bend, so that pieces meet without gap or overlap. */
export const RIBBON_VERTEX = /* glsl */ `
  attribute vec4 before;
  attribute vec4 start;
  attribute vec4 end;
  attribute vec4 after;
  attribute vec4 startTint;
  attribute vec4 endTint;
  uniform float scale;
  uniform float density;
  uniform vec2 viewport;
  varying vec4 vTint;
  varying float vAside;
  varying float vSoft;
  #ifdef SLABS
  uniform vec3 ahead;
  varying float vDepth;
  #endif
  const float NEAR = 1e-3;
  vec2 onScreen(vec4 seen) {
    vec4 clip = projectionMatrix * seen;
    return clip.xy / clip.w * viewport * 0.5;
  }
  vec3 inFront(vec3 point, vec3 other) {
    // What reaches behind the camera is cut where it passes it.
    return point.z > -NEAR && other.z < -NEAR ? mix(other, point, (other.z + NEAR) / (other.z - point.z)) : point;
  }
  void main() {
    vec3 a = (modelViewMatrix * vec4(start.xyz, 1.0)).xyz;
    vec3 b = (modelViewMatrix * vec4(end.xyz, 1.0)).xyz;
    if (a.z > -NEAR && b.z > -NEAR) {
      gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
      return;
    }
    vec3 p = (modelViewMatrix * vec4(before.xyz, 1.0)).xyz;
    vec3 n = (modelViewMatrix * vec4(after.xyz, 1.0)).xyz;
    vec3 cutA = inFront(a, b);
    vec3 cutB = inFront(b, a);
    vec2 sa = onScreen(vec4(cutA, 1.0));
    vec2 sb = onScreen(vec4(cutB, 1.0));
    vec2 along = sb - sa;
    float far = length(along);
    vec2 direction = far > 1e-4 ? along / far : vec2(1.0, 0.0);
    float atEnd = position.x;
    vec3 next = atEnd < 0.5 ? p : n;
    vec2 joint = direction;
    if (next.z < -NEAR) {
      vec2 reached = atEnd < 0.5 ? sa - onScreen(vec4(p, 1.0)) : onScreen(vec4(n, 1.0)) - sb;
      float length_ = length(reached);
      bool goesOn = atEnd < 0.5 ? before.w + start.w > 0.0 : end.w + after.w > 0.0;
      if (length_ > 1e-3 && goesOn) joint = normalize(direction + reached / length_ + direction * 1e-3);
    }
    vec2 normal = vec2(-joint.y, joint.x);
    // The cut is longer than the ribbon is wide where it bends; at hairpins it is kept short.
    float stretch = 1.0 / max(0.4, dot(normal, vec2(-direction.y, direction.x)));
    vec3 here = atEnd < 0.5 ? cutA : cutB;
    float half_ = (atEnd < 0.5 ? start.w : end.w) * scale / max(-here.z, NEAR);
    float shown = max(half_, 0.6 * density);
    vec4 tint = atEnd < 0.5 ? startTint : endTint;
    #ifdef SLABS
    vDepth = dot(atEnd < 0.5 ? start.xyz : end.xyz, ahead);
    #endif
    vTint = vec4(tint.rgb, tint.a * clamp(half_ / shown, 0.3, 1.0) * (half_ > 0.0 ? 1.0 : 0.0));
    vAside = position.y;
    // A pixel of soft edge.
    float wide = shown + 0.5 * density;
    vSoft = min(1.0, density / wide);
    vec4 clip = projectionMatrix * vec4(here, 1.0);
    clip.xy += normal * position.y * wide * stretch / (viewport * 0.5) * clip.w;
    gl_Position = clip;
  }
`;

export const RIBBON_FRAGMENT = /* glsl */ `
  varying vec4 vTint;
  varying float vAside;
  varying float vSoft;
  uniform float dim;
  ${PASSES}
  void main() {
    float edge = 1.0 - smoothstep(1.0 - vSoft, 1.0, abs(vAside));
    put(vec4(vTint.rgb * dim, vTint.a * edge * mix(0.45, 1.0, dim)));
  }
`;

export const FORM_VERTEX = /* glsl */ `
  attribute vec3 place;
  attribute float radius;
  attribute vec4 tint;
  attribute vec4 turn;
  attribute float mark;
  #ifdef MOVING
  attribute vec3 velocity;
  uniform float shift;
  #endif
  uniform float scale;
  uniform float density;
  uniform float tiny;
  varying vec4 vTint;
  varying vec3 vNormal;
  varying float vMark;
  ${TURNED}
  void main() {
    vec3 middle = place;
    #ifdef MOVING
    middle += velocity * shift;
    #endif
    vec4 seen = modelViewMatrix * vec4(middle, 1.0);
    float pixels = radius * scale / max(-seen.z, 1e-6);
    float large = tiny > 0.5 && pixels < 1.2 * density ? radius * 1.2 * density / max(pixels, 1e-6) : radius;
    if (tiny > 0.5 && radius <= 0.0) large = 1.2 * density * max(-seen.z, 1e-6) / scale;
    vNormal = (modelViewMatrix * vec4(turned(turn, normal), 0.0)).xyz;
    vTint = tint;
    vMark = mark;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(middle + turned(turn, position) * large, 1.0);
  }
`;

export const FORM_FRAGMENT = /* glsl */ `
  varying vec4 vTint;
  varying vec3 vNormal;
  varying float vMark;
  uniform float dim;
  uniform vec3 ring;
  ${PASSES}
  void main() {
    vec3 n = normalize(vNormal);
    float light = 0.36 + 0.62 * max(0.0, dot(n, ${LAMP})) + 0.1 * max(0.0, dot(n, vec3(-0.7, -0.2, 0.3)));
    float faded = vMark > 0.5 ? 1.0 : dim;
    vec3 lit = vTint.rgb * light * faded;
    if (vMark > 0.5) lit = mix(lit, ring, 0.35 + 0.5 * pow(1.0 - abs(n.z), 2.0));
    put(vec4(lit, vTint.a * mix(0.45, 1.0, faded)));
  }
`;
