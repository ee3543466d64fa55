/** The shade that shapes and solid particles cast: what the lamp sees, as a map of depths. Only where a card draws. */

import {
  BufferAttribute,
  BufferGeometry,
  DepthTexture,
  DoubleSide,
  Matrix4,
  Mesh,
  NearestFilter,
  OrthographicCamera,
  Points,
  Scene,
  ShaderMaterial,
  Sphere,
  UnsignedIntType,
  Vector3,
  WebGLRenderTarget,
  type WebGLRenderer,
} from "three";
import type { LayerData } from "../drawing/data";
import { LAMP, type Shade } from "../drawing/light";
import type { Bounds } from "../view";

const SIZE = 1536;
/** How wide a soft edge is, as a share of the lit scene's width. */
const SOFT = 0.006;
/** More particles than this cast no shade. */
const MOST = 400_000;

const FLAT = { fragmentShader: "void main() { gl_FragColor = vec4(1.0); }", side: DoubleSide } as const;

export class LampShade {
  private readonly target = new WebGLRenderTarget(SIZE, SIZE, { minFilter: NearestFilter, magFilter: NearestFilter });
  private readonly camera = new OrthographicCamera();
  private readonly scene = new Scene();
  private readonly solid = new ShaderMaterial({
    ...FLAT,
    vertexShader: "void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
  });
  private readonly dots = new ShaderMaterial({
    ...FLAT,
    uniforms: { scale: { value: 1 } },
    vertexShader: /* glsl */ `
      attribute float radius;
      uniform float scale;
      void main() {
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
        gl_PointSize = max(1.0, 2.0 * radius * scale);
      }
    `,
    fragmentShader: /* glsl */ `
      void main() {
        if (length(gl_PointCoord - 0.5) > 0.5) discard;
        gl_FragColor = vec4(1.0);
      }
    `,
  });
  private points: Points[] = [];

  constructor(private readonly shade: Shade) {
    this.target.depthTexture = new DepthTexture(SIZE, SIZE, UnsignedIntType);
    shade.shade.value = this.target.depthTexture;
    shade.shadeStrength.value = 0.85;
    shade.shadeSoft.value = SOFT;
  }

  /** What of the particles casts a shade. */
  put(layers: LayerData[]): void {
    this.clear();
    for (const { head, position, radius } of layers) {
      const casts = head.solid && head.mixing === "over" && !["ribbon", "dot"].includes(head.shader);
      if (!casts || head.count === 0 || head.count > MOST) continue;
      const geometry = new BufferGeometry();
      geometry.setAttribute("position", new BufferAttribute(position, 3));
      geometry.setAttribute("radius", new BufferAttribute(radius, 1));
      geometry.boundingSphere = new Sphere(new Vector3(), 1e9);
      this.points.push(new Points(geometry, this.dots));
    }
  }

  /** Draw what the lamp sees of these shapes and the particles within the bounds. */
  draw(renderer: WebGLRenderer, shapes: Mesh[], { centre, size }: Bounds): void {
    const half = size * 0.75;
    const { camera, scene, shade } = this;
    camera.position.copy(centre).addScaledVector(LAMP, size * 1.5);
    camera.up.set(0, 1, 0);
    camera.lookAt(centre);
    Object.assign(camera, { left: -half, right: half, top: half, bottom: -half, near: size * 0.25, far: size * 3 });
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
    this.dots.uniforms.scale!.value = SIZE / (2 * half);
    scene.clear();
    for (const shape of shapes) {
      const mesh = new Mesh(shape.geometry, this.solid);
      mesh.matrixAutoUpdate = false;
      mesh.matrix.copy(shape.matrixWorld);
      scene.add(mesh);
    }
    this.points.forEach((dots) => scene.add(dots));
    shade.shadeMatrix.value
      .set(0.5, 0, 0, 0.5, 0, 0.5, 0, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0, 1)
      .multiply(camera.projectionMatrix)
      .multiply(new Matrix4().copy(camera.matrixWorld).invert());
    renderer.setRenderTarget(this.target);
    renderer.clear();
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
  }

  dispose(): void {
    this.clear();
    this.solid.dispose();
    this.dots.dispose();
    this.target.depthTexture?.dispose();
    this.target.dispose();
  }

  private clear(): void {
    this.points.forEach((dots) => dots.geometry.dispose());
    this.points = [];
  }
}
