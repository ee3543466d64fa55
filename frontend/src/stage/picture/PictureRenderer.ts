/**
 * Draws finished pictures: many samples, each at its own moment of the exposure, from its own place on the lens, summed as light.
 * Knows nothing of the page: the view and the making of clips both use it.
 */

import {
  BufferAttribute,
  BufferGeometry,
  Color,
  LinearSRGBColorSpace,
  Matrix4,
  Mesh,
  NoToneMapping,
  PerspectiveCamera,
  Raycaster,
  Scene,
  ShaderMaterial,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "three";
import type { Block } from "@/api/block";
import type { LayerData } from "../drawing/data";
import { DrawnLayer, Ordering } from "../drawing/DrawnLayer";
import { shapeMaterial } from "../drawing/shapeMaterial";
import { drawnInSoftware } from "../renderer";
import { Materials } from "../drawing/materials";
import { Sources } from "../drawing/sources";
import { shadedOf } from "../scene/ShapeScene";
import { pick } from "../view";
import { Passes } from "./passes";
import type { Group } from "@/state/document";
import type { FrameBlock, ShapesHead, ViewHead } from "@/state/frames";

/** The document's picture settings, as the server describes them. */
export interface Settings {
  background: number[];
  camera: string;
  shutter: number;
  aperture: number;
  glow: number;
  glow_from: number;
  glow_size: number;
  shapes: boolean;
  samples: number;
}

export interface Shot {
  trial: string;
  layers: LayerData[];
  frame: FrameBlock;
  shapes: Block<ShapesHead> | null;
  settings: Settings;
  /** The camera at the frame, and a frame later. */
  view: ViewHead;
  next: ViewHead;
  /** Seconds between frames. */
  span: number;
  /** Which groups are left out, of which there are: what the layers were made with. */
  hidden: readonly string[];
  groups: readonly Group[];
}

/** Dots and lines are as wide as they would be in a picture of this height, whatever its size. */
const HEIGHT_FOR_PIXELS = 720;
const SHAPE = "#424f57";

/** Points spread evenly over a square: the additive sequence of the plastic number (Roberts 2018, from memory). */
const spread = (index: number): [number, number] => [
  (0.5 + index * 0.7548776662466927) % 1,
  (0.5 + index * 0.5698402909980532) % 1,
];

export class PictureRenderer {
  readonly renderer: WebGLRenderer;
  readonly camera = new PerspectiveCamera(36, 16 / 9, 0.01, 1000);
  private passes: Passes | null = null;
  private scene = new Scene();
  private drawn: DrawnLayer[] = [];
  private readonly ordering = new Ordering();
  private meshes: Mesh[] = [];
  private shot: Shot | null = null;
  /** The shot whose samples were shown last: one clicks what one sees, though the next is being drawn. */
  private seen: Shot | null = null;
  private readonly sources = new Sources();
  private readonly materials = new Materials();
  /** Whether something has come since the looks were built that they are drawn with. */
  private completed = false;

  constructor(
    canvas: HTMLCanvasElement | OffscreenCanvas,
    private readonly onReady: () => void,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: false, preserveDrawingBuffer: true });
    this.renderer.toneMapping = NoToneMapping;
    this.renderer.outputColorSpace = LinearSRGBColorSpace;
  }

  /** Whether pictures or forms are still on their way. */
  get waiting(): boolean {
    return this.sources.loading;
  }

  /** The longest side that the graphics card can draw. */
  get longestSide(): number {
    return this.renderer.capabilities.maxTextureSize;
  }

  resize(width: number, height: number): void {
    if (this.passes?.width === width && this.passes.height === height) return;
    this.passes?.dispose();
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.passes = new Passes(this.renderer, width, height);
  }

  /** Take in a frame. Sampling begins anew. */
  put(shot: Shot, marked: Set<number> | null = null): void {
    const before = this.shot;
    this.shot = shot;
    this.passes?.restart();
    if (before?.layers !== shot.layers || this.completed) {
      this.completed = false;
      this.drawn.forEach((layer) => {
        this.scene.remove(layer.object);
        layer.dispose();
      });
      this.drawn = shot.layers.map(
        (data, rank) =>
          new DrawnLayer(
            data,
            {
              trial: shot.trial,
              marked,
              dim: false,
              quads: true,
              merged: drawnInSoftware,
              sources: this.sources,
              materials: this.materials,
              onReady: this.complete,
            },
            rank,
          ),
      );
      this.drawn.forEach((layer) => this.scene.add(layer.object));
    }
    if (
      before?.frame !== shot.frame ||
      before.shapes !== shot.shapes ||
      before.settings.shapes !== shot.settings.shapes
    )
      this.placeShapes(shot);
    const [red, green, blue] = shot.settings.background as [number, number, number];
    this.scene.background = new Color().setRGB(red, green, blue, LinearSRGBColorSpace);
  }

  restart(): void {
    this.passes?.restart();
  }

  get sampled(): number {
    return this.passes?.count ?? 0;
  }

  /** The shot that was put in last. */
  get latest(): Shot | null {
    return this.shot;
  }

  /** How many samples the shot asks for. */
  get wanted(): number {
    return this.shot?.settings.samples ?? 1;
  }

  /** Draw one more sample. */
  sample(): void {
    const { passes, shot, camera } = this;
    if (!passes || !shot) return;
    const index = passes.count;
    const { shutter, aperture, samples } = shot.settings;
    const moment = samples > 1 ? shutter * ((index + 0.5) / samples - 0.5) : 0;
    const view = between(shot.view, shot.next, moment);
    camera.fov = view.field_of_view;
    camera.aspect = passes.width / passes.height;
    camera.position.fromArray(view.position);
    camera.up.set(0, 1, 0);
    camera.lookAt(new Vector3().fromArray(view.target));
    const far = camera.position.distanceTo(new Vector3().fromArray(view.target));
    camera.near = Math.max(1e-3, far / 400);
    camera.far = far * 80 + 50;
    camera.updateProjectionMatrix();
    const jitter = samples > 1 ? spread(index) : [0.5, 0.5];
    const turn = spread(index * 3 + 1);
    const reach = samples > 1 ? (Math.sqrt(turn[0]) * aperture) / 2 : 0;
    const lens = [reach * Math.cos(turn[1] * 2 * Math.PI), reach * Math.sin(turn[1] * 2 * Math.PI)] as const;
    const right = new Vector3(1, 0, 0).applyQuaternion(camera.quaternion);
    const up = new Vector3(0, 1, 0).applyQuaternion(camera.quaternion);
    camera.position.addScaledVector(right, lens[0]).addScaledVector(up, lens[1]);
    // The picture is sheared back so that what lies at the focus stays where it is; and moved by part of a pixel, which smooths edges.
    const matrix = camera.projectionMatrix.elements;
    matrix[8]! += (-matrix[0]! * lens[0]) / view.focus + ((jitter[0]! - 0.5) * 2) / passes.width;
    matrix[9]! += (-matrix[5]! * lens[1]) / view.focus + ((jitter[1]! - 0.5) * 2) / passes.height;
    camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
    camera.updateMatrixWorld();
    const scale = passes.height / (2 * Math.tan((camera.fov * Math.PI) / 360));
    const density = passes.height / HEIGHT_FOR_PIXELS;
    this.ordering.update(this.drawn, camera);
    for (const layer of this.drawn) {
      layer.look({ scale, density, width: passes.width, height: passes.height }, moment * shot.span);
    }
    this.renderer.setRenderTarget(passes.taken);
    this.renderer.render(this.scene, camera);
    this.renderer.setRenderTarget(null);
    passes.add();
  }

  /** Show the samples so far. */
  show(): void {
    this.seen = this.shot;
    this.passes?.show(this.glow(), true);
  }

  /** The samples so far as rows of RGBA bytes, the top row first. */
  read(): Uint8Array {
    this.passes!.show(this.glow(), false);
    return this.passes!.read();
  }

  /** How far along the line of sight the thing lies that is drawn at a place of the picture (0–1 from left and top), or null. */
  distanceAt(x: number, y: number): number | null {
    const { seen: shot, camera } = this;
    if (!shot) return null;
    camera.fov = shot.view.field_of_view;
    camera.position.fromArray(shot.view.position);
    camera.lookAt(new Vector3().fromArray(shot.view.target));
    camera.updateMatrixWorld();
    camera.updateProjectionMatrix();
    const [width, height] = [1000 * camera.aspect, 1000];
    const picked = pick(shot.layers, camera, x * width, y * height, width, height);
    const ahead = new Vector3(0, 0, -1).applyQuaternion(camera.quaternion);
    const along = (point: Vector3) => point.clone().sub(camera.position).dot(ahead);
    if (picked) return along(picked.place);
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(x * 2 - 1, 1 - y * 2), camera);
    const hit = ray.intersectObjects(this.meshes, false)[0];
    return hit ? along(hit.point) : null;
  }

  dispose(): void {
    this.drawn.forEach((layer) => layer.dispose());
    this.meshes.forEach(free);
    this.passes?.dispose();
    this.sources.dispose();
    this.materials.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }

  private readonly complete = () => {
    this.completed = true;
    this.onReady();
  };

  private glow() {
    const { glow, glow_from, glow_size } = this.shot!.settings;
    return { strength: glow, from: glow_from, size: glow_size };
  }

  private placeShapes({ shapes, frame, settings }: Shot): void {
    this.meshes.forEach((mesh) => {
      this.scene.remove(mesh);
      free(mesh);
    });
    this.meshes = [];
    if (!shapes || !settings.shapes) return;
    for (const base of shapes.head.shapes) {
      const now = frame.head.shapes.find((shape) => shape.id === base.id);
      const source = now?.geometry ? frame : shapes;
      const faces = source.arrays[`shape ${base.index}/faces`];
      // A region is only there to be asked about: it hides nobody.
      if (!base.visible || base.region || base.line || !faces || faces.length === 0) continue;
      const plain = new BufferGeometry();
      plain.setAttribute(
        "position",
        new BufferAttribute(source.arrays[`shape ${base.index}/vertices`] as Float32Array, 3),
      );
      plain.setIndex(new BufferAttribute(new Uint32Array(faces), 1));
      const shaded = shadedOf(plain, faces.length / 3);
      const mesh = new Mesh(shaded, shapeMaterial(SHAPE));
      mesh.matrixAutoUpdate = false;
      mesh.matrix.copy(new Matrix4().fromArray((now ?? base).matrix));
      this.meshes.push(mesh);
      this.scene.add(mesh);
    }
  }
}

function free(mesh: Mesh): void {
  mesh.geometry.dispose();
  (mesh.material as ShaderMaterial).dispose();
}

/** The camera part of the way from one moment to the next; before the first as far back. */
function between(view: ViewHead, next: ViewHead, share: number): ViewHead {
  const mix = (a: number, b: number) => a + (b - a) * share;
  const mix3 = (a: number[], b: number[]) => a.map((value, axis) => mix(value, b[axis]!)) as [number, number, number];
  return {
    position: mix3(view.position, next.position),
    target: mix3(view.target, next.target),
    field_of_view: mix(view.field_of_view, next.field_of_view),
    focus: mix(view.focus, next.focus),
  };
}
