/** Draws the stage: follows the session and the run it shows, and draws only when something has changed.
 * No component renders while it plays: frames go from the run's store straight to the card. */

import {
  Color,
  PerspectiveCamera,
  Raycaster,
  Scene,
  SRGBColorSpace,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Mesh,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { valueNow, type KeyValue } from "@/state/keys";
import type { Run, RunState } from "@/state/run";
import type { Session, SessionState } from "@/state/session";
import type { Pose, ViewName } from "@/state/viewpoint";
import { asSeen, layersOf, type LayerData } from "./drawing/data";
import { DrawnLayer, Ordering } from "./drawing/DrawnLayer";
import { noShade } from "./drawing/light";
import { Materials } from "./drawing/materials";
import { Sources } from "./drawing/sources";
import { Pins } from "./pins";
import { drawnInSoftware } from "./renderer";
import { FieldScene } from "./scene/FieldScene";
import { Ground } from "./scene/Ground";
import { LampShade } from "./scene/LampShade";
import { ShapeScene } from "./scene/ShapeScene";
import { boundsOf, extentOf, pick, placeCamera, within, type Bounds } from "./view";

/** Particles beyond which a stage that is drawn by the processor gets coarser while it is turned. */
const MANY = 20_000;
/** How coarse: pixels of the canvas for each pixel of the page, each way. */
const COARSE = 0.5;
/** Of so many one is drawn meanwhile. */
const THINNED = 4;
/** How long after the last movement everything is drawn in full again (milliseconds). */
const STILL = 450;

interface Listeners {
  /** Told whether it is drawn coarsely at the moment. */
  coarse: (coarse: boolean) => void;
  /** Told how many pixels a metre takes at the middle of what is looked at. */
  metre: (pixels: number) => void;
  /** Told once that the effect is on the stage. */
  drawn: () => void;
}

export class StageEngine {
  readonly renderer: WebGLRenderer;
  readonly camera = new PerspectiveCamera(36, 1, 0.01, 500);
  readonly controls: OrbitControls;
  readonly scene = new Scene();
  readonly field = new FieldScene();
  readonly pins = new Pins();
  layers: LayerData[] = [];
  private readonly shade = noShade();
  private readonly lamp: LampShade | null;
  private readonly ground: Ground;
  private readonly shapes: ShapeScene;
  private readonly sources = new Sources();
  private readonly materials = new Materials();
  private readonly ordering = new Ordering();
  private drawn: DrawnLayer[] = [];
  private bounds: Bounds = boundsOf([]);
  private wanted = 0;
  private shadeIsOld = true;
  private framed = false;
  private told = false;
  /** Whether somebody has chosen another point of view than the one it opened with. */
  private turned = false;
  private held = false;
  private moving = false;
  private stillTimer: ReturnType<typeof setTimeout> | undefined;
  private size: [number, number] = [1, 1];
  private stops: (() => void)[] = [];
  private stopRun: () => void = () => undefined;
  private run: Run;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    /** Told what the stage shows once it is drawn: frame, count and trial, for whoever waits for them. */
    private readonly host: HTMLElement,
    private readonly session: Session,
    run: Run,
    private readonly tell: Listeners,
    /** Whether it only stands beside another one: it looks from where that does, and rings nobody. */
    private readonly beside = false,
  ) {
    this.run = run;
    this.renderer = new WebGLRenderer({
      canvas,
      antialias: !drawnInSoftware,
      alpha: true,
      preserveDrawingBuffer: true,
    });
    // The shaders ship with the app and are tested; asking the card for their logs would hold up every first frame.
    this.renderer.debug.checkShaderErrors = false;
    this.lamp = drawnInSoftware ? null : new LampShade(this.shade);
    this.ground = new Ground(this.shade, this.lamp !== null);
    this.shapes = new ShapeScene(this.lamp ? this.shade : undefined);
    this.scene.add(this.ground.object, this.shapes.object, this.field.object);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener("change", () => this.looked());
    this.controls.addEventListener("start", () => (this.held = this.turned = true));
    this.controls.addEventListener("end", () => (this.held = false));
    this.framed = beside;
    this.goTo(session.viewpoint.pose);
    const answering = {
      look: (view: ViewName) => this.turn(() => this.look(view)),
      go: (pose: Pose) => this.turn(() => this.goTo(pose)),
      frameSelected: () => this.turn(() => this.frameSelected()),
      refit: (wider: number) => this.refit(wider),
    };
    if (!beside) this.stops.push(session.viewpoint.answer(answering));
    this.stops.push(session.viewpoint.follow(this.followCamera));
    this.stops.push(session.store.subscribe((now, before) => this.follow(now, before)));
    this.show(run);
  }

  /** Show another run, on the same camera. */
  show(run: Run): void {
    this.stopRun();
    this.run = run;
    this.stopRun = run.store.subscribe((now, before) => this.followRun(now, before));
    this.takeLayers();
    this.takeBounds();
    this.takeShapes();
    this.takeBackdrop();
  }

  resize(width: number, height: number): void {
    this.size = [Math.max(1, width), Math.max(1, height)];
    this.camera.aspect = this.size[0] / this.size[1];
    this.camera.updateProjectionMatrix();
    this.fit();
    this.looked();
    // A stage that opens is framed for the room it really gets.
    if (!this.framed) this.frame();
  }

  invalidate(): void {
    if (!this.wanted) this.wanted = requestAnimationFrame(() => this.draw());
  }

  dispose(): void {
    cancelAnimationFrame(this.wanted);
    clearTimeout(this.stillTimer);
    this.stopRun();
    this.stops.forEach((stop) => stop());
    this.controls.dispose();
    this.drawn.forEach((layer) => layer.dispose());
    this.shapes.dispose();
    this.field.dispose();
    this.ground.dispose();
    this.lamp?.dispose();
    this.sources.dispose();
    this.materials.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }

  // Looking

  private look(view: ViewName): void {
    const { shown, shapes } = this.run.state;
    placeCamera(this.camera, this.controls.target, extentOf(shown?.frame ?? null, shapes), view);
    this.controls.update();
    this.looked();
  }

  private refit(wider: number): void {
    if (!this.turned && this.framed) return this.look("home");
    const away = this.camera.position.clone().sub(this.controls.target).divideScalar(wider);
    this.goTo({ position: away.add(this.controls.target).toArray(), target: this.controls.target.toArray() });
  }

  private turn(act: () => void): void {
    this.turned = true;
    act();
  }

  /** Whether it shows what it would show if the effect were opened now. */
  get asOpened(): boolean {
    const { frame, picturing, selected, highlighted, chosen, particle, hidden, byGroup } = this.session.state;
    const marked = highlighted ?? chosen ?? particle ?? selected;
    const own = this.turned || picturing || byGroup || hidden.length > 0 || marked !== null;
    return this.told && !own && this.run === this.session.run && this.run.state.shown?.frame.head.frame === frame;
  }

  private frameSelected(): void {
    const { selected, document, particle } = this.session.state;
    const { shown, shapes } = this.run.state;
    const shape = selected?.[0] === "shapes" ? document.shapes[Number(selected[1])] : undefined;
    const place = particle === null ? null : this.placeOf(particle);
    const points = place ? [place] : extentOf(shown?.frame ?? null, shapes, shape?.id);
    const toward = this.camera.position.clone().sub(this.controls.target);
    placeCamera(this.camera, this.controls.target, points, toward);
    this.controls.update();
    this.looked();
  }

  /** While something on the stage is dragged the camera stays where it is. */
  hold(still: boolean): void {
    this.controls.enabled = !still;
  }

  placeOf(particle: number): Vector3 | null {
    for (const layer of this.layers) {
      const row = layer.id.indexOf(particle);
      if (row >= 0) return new Vector3().fromArray(layer.position, row * 3);
    }
    return null;
  }

  goTo({ position, target }: { position: readonly number[]; target: readonly number[] }): void {
    this.camera.position.fromArray([...position]);
    this.controls.target.fromArray([...target]);
    this.controls.update();
    this.looked();
  }

  /** Another stage has been turned: this one looks from there, too. */
  private readonly followCamera = ({ position, target }: Pose) => {
    this.camera.position.fromArray([...position]);
    this.controls.target.fromArray([...target]);
    this.camera.lookAt(this.controls.target);
    this.fitDepth();
    this.invalidate();
  };

  private looked(): void {
    const distance = this.fitDepth();
    this.tell.metre(this.size[1] / (2 * Math.tan((this.camera.fov * Math.PI) / 360) * distance));
    if (!this.session.state.picturing) {
      const pose = { position: this.camera.position.toArray(), target: this.controls.target.toArray() };
      this.session.viewpoint.stand(pose, this.followCamera);
    }
    if (this.held) this.move();
    this.invalidate();
  }

  /** How near and how far it sees, and the ground that it looks at; returns how far away that is (m). */
  private fitDepth(): number {
    const distance = this.camera.position.distanceTo(this.controls.target);
    this.camera.near = Math.max(1e-3, distance / 400);
    this.camera.far = Math.max(distance * 60, this.bounds.size * 20);
    this.camera.updateProjectionMatrix();
    this.ground.lie(this.controls.target, Math.max(6, distance * 2.6));
    return distance;
  }

  /** It is being turned: without a card many particles are drawn coarsely until it rests. */
  private move(): void {
    const many = this.layers.reduce((sum, layer) => sum + layer.head.count, 0) > MANY;
    clearTimeout(this.stillTimer);
    this.stillTimer = setTimeout(() => this.rest(), STILL);
    if (this.moving || !drawnInSoftware || !many) return;
    this.moving = true;
    this.tell.coarse(true);
    this.drawn.forEach((layer) => layer.thin(THINNED));
    this.fit();
  }

  private rest(): void {
    if (!this.moving) return;
    this.moving = false;
    this.tell.coarse(false);
    this.drawn.forEach((layer) => layer.thin(1));
    this.fit();
    this.invalidate();
  }

  private fit(): void {
    const ratio = this.moving ? COARSE : Math.min(drawnInSoftware ? 1 : 2, window.devicePixelRatio);
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(...this.size, false);
    this.shapes.resize(...this.size);
  }

  // Following

  private follow(now: SessionState, before: SessionState): void {
    const changed = <Name extends keyof SessionState>(...names: Name[]) =>
      names.some((name) => now[name] !== before[name]);
    if (
      now.document.groups !== before.document.groups ||
      changed("hidden", "byGroup", "highlighted", "particle", "chosen")
    )
      this.takeLayers();
    if (changed("selected")) this.takeShapes();
    if (now.document.picture !== before.document.picture) this.takeBackdrop();
    if (changed("picturing") && !now.picturing) {
      // Whoever looked around in picture mode comes back to the same point of view.
      this.goTo(this.session.viewpoint.pose);
    }
  }

  private followRun(now: RunState, before: RunState): void {
    if (now.shown !== before.shown) {
      this.takeLayers();
      this.takeBackdrop();
    }
    if (now.shapes !== before.shapes) this.takeBounds();
    if (now.shown !== before.shown || now.shapes !== before.shapes || now.dragged !== before.dragged) this.takeShapes();
    if (!this.framed) this.frame();
  }

  /** Frame a newly opened effect once, as soon as its shapes and first picture are there. */
  private frame(): void {
    const { shown, shapes } = this.run.state;
    if (!shown || !shapes || this.size[0] < 2) return;
    this.framed = true;
    this.look("home");
  }

  private takeLayers(): void {
    const { shown } = this.run.state;
    const { document, hidden, byGroup, highlighted, particle, chosen } = this.session.state;
    const seen = asSeen(layersOf(shown?.frame ?? null), document.groups, hidden, byGroup);
    this.layers = seen;
    const picked = highlighted?.ids ?? chosen ?? (particle !== null ? new Set([particle]) : null);
    const marked = this.beside ? null : picked;
    const all = highlighted?.left && !this.beside ? [...seen, highlighted.left] : seen;
    const options = {
      trial: shown?.trial ?? "",
      marked,
      dim: !this.beside && (highlighted !== null || chosen !== null),
      quads: !drawnInSoftware,
      merged: drawnInSoftware,
      sources: this.sources,
      materials: this.materials,
      onReady: () => this.takeLayers(),
    };
    const before = this.drawn;
    before.forEach((layer) => this.scene.remove(layer.object));
    this.drawn = all.map((data, rank) => new DrawnLayer(data, options, rank));
    before.forEach((layer) => layer.dispose());
    this.drawn.forEach((layer) => this.scene.add(layer.object));
    if (this.moving) this.drawn.forEach((layer) => layer.thin(THINNED));
    this.lamp?.put(all);
    this.shadeIsOld = true;
    this.invalidate();
  }

  private takeShapes(): void {
    const { shapes, shown, dragged } = this.run.state;
    const { selected, document } = this.session.state;
    const chosen = selected?.[0] === "shapes" ? (document.shapes[Number(selected[1])]?.id ?? null) : null;
    this.shapes.put(shapes, shown?.frame ?? null, chosen, dragged);
    this.shapes.resize(...this.size);
    this.shadeIsOld = true;
    this.invalidate();
  }

  /** How large it all is: what the lamp lights, and how far one has to see. It does not change from frame to frame. */
  private takeBounds(): void {
    this.bounds = boundsOf(extentOf(null, this.run.state.shapes));
  }

  /** The tone of the finished picture, so that colours are judged against it. */
  private takeBackdrop(): void {
    const given = this.session.state.document.picture.background;
    const computed = this.run.state.shown?.frame.head.keyed["picture/background"] as KeyValue | undefined;
    const parts = valueNow(given, computed, 0);
    const [red, green, blue] = Array.isArray(parts) ? parts.map(Number) : [0.063, 0.078, 0.09];
    // Told as it is stored: sRGB-encoded, and drawn without any conversion.
    this.scene.background = new Color().setRGB(red!, green!, blue!, SRGBColorSpace);
    this.invalidate();
  }

  // Drawing

  private draw(): void {
    this.wanted = 0;
    if (this.session.state.picturing) return;
    const { renderer, camera, size } = this;
    const density = renderer.getPixelRatio();
    const half = Math.tan((camera.fov * Math.PI) / 360);
    const [width, height] = [size[0] * density, size[1] * density];
    const view = { scale: height / (2 * half), density, width, height };
    this.drawn.forEach((layer) => layer.look(view));
    camera.updateMatrixWorld();
    // While it is turned what is see-through keeps its order: putting it in order would take as long as drawing it.
    if (!this.moving) this.ordering.update(this.drawn, camera);
    // The shade is of the things, not of the eye: turning leaves it as it is.
    if (this.shadeIsOld) this.lamp?.draw(renderer, this.shapes.solids, this.bounds);
    this.shadeIsOld = false;
    renderer.render(this.scene, camera);
    this.pins.place(camera, ...size);
    const { shown } = this.run.state;
    const { dataset } = this.host;
    dataset.frame = String(shown?.frame.head.frame ?? "");
    dataset.count = String(shown?.frame.head.count ?? "");
    dataset.trial = shown?.trial ?? "";
    if (this.framed && !this.told) this.tell.drawn();
    this.told = this.framed;
    dataset.drawn = String(Number(dataset.drawn ?? 0) + 1);
  }

  // Pointing

  private inCanvas(x: number, y: number): [number, number] {
    const box = this.canvas.getBoundingClientRect();
    return [x - box.left, y - box.top];
  }

  /** The particle at a place of the page, or null. */
  particleAt(x: number, y: number): { id: number; place: Vector3 } | null {
    return pick(this.layers, this.camera, ...this.inCanvas(x, y), ...this.size);
  }

  particlesIn(box: { left: number; top: number; right: number; bottom: number }): Set<number> {
    return within(this.layers, this.camera, box, ...this.size);
  }

  rayAt(x: number, y: number): Raycaster {
    const [left, top] = this.inCanvas(x, y);
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2((left / this.size[0]) * 2 - 1, 1 - (top / this.size[1]) * 2), this.camera);
    return ray;
  }

  /** The shape at a place of the page: its index in the document and where it is met, or null. */
  shapeAt(x: number, y: number, solid = false): { index: number; place: Vector3 } | null {
    const meshes: Mesh[] = solid ? this.shapes.solids : this.shapes.pickable;
    const hit = this.rayAt(x, y).intersectObjects(meshes, false)[0];
    return hit ? { index: Number(hit.object.userData.shape), place: hit.point } : null;
  }
}
