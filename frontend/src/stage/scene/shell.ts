/** A surface seen like thin glass: its edges show, what faces the eye lets through. For boundaries of fields and
 * shapes that are not solid. */

import { BufferAttribute, BufferGeometry, FrontSide, Mesh, ShaderMaterial, Vector3 } from "three";

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

/** A mesh of its own geometry and material; whoever asked for it frees both. */
export function shellOf(vertices: Float32Array, faces: ArrayLike<number>, strength: number): Mesh {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(vertices, 3));
  geometry.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
  geometry.computeVertexNormals();
  const material = new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    uniforms: { tone: { value: TONE }, strength: { value: strength } },
    transparent: true,
    depthWrite: false,
    side: FrontSide,
  });
  const mesh = new Mesh(geometry, material);
  mesh.renderOrder = 3;
  return mesh;
}
