/** Handles of the selected shape: move, turn and scale it, and drag the points of a path or a profile. Values are tried while dragging. */

import { useCallback, useEffect, useMemo, useRef } from "react";
import { Euler, Matrix4, Object3D, Quaternion, Vector3 } from "three";
import { TransformControls } from "three/examples/jsm/controls/TransformControls.js";
import { addressOf, at, withValue, type Effect, type Path, type Shape } from "@/state/document";
import { curve, keysOf, valueNear, withKey, type KeyValue } from "@/state/keys";
import type { Session } from "@/state/session";
import { useRun, useRunOf, useSession, useStudio } from "@/state/use";
import { DotHandle } from "./DotHandle";
import { useChosen, type Chosen } from "./chosen";
import { useEngine, usePin } from "./engine";

const MODES = { move: "translate", turn: "rotate", scale: "scale" } as const;
const COLORS = ["#d59a86", "#9fc59a", "#8fb0d6", "#d8b56c"] as const;

const fine = (value: number): number => Number(value.toFixed(4));
const position = (local: Vector3): KeyValue => local.toArray().map(fine);

/** Put a value at the playhead: a key where there are keyframes, the value itself where not. */
function put(session: Session, path: Path, value: KeyValue): Effect {
  const { document } = session.state;
  const keys = keysOf(at(document, path));
  return withValue(document, path, keys ? curve(withKey(keys, session.timeAt(path), value)) : value);
}

export function ChosenHandles() {
  const chosen = useChosen();
  const playing = useStudio((state) => state.playing);
  return chosen && !playing ? <Handles key={chosen.shape.id} {...chosen} /> : null;
}

function Handles({ shape, index, head }: Chosen) {
  const session = useSession();
  const run = useRunOf();
  const engine = useEngine();
  const mode = useStudio((state) => state.handles);
  const path = useMemo<Path>(() => ["shapes", index], [index]);
  const dragged = useRun((state) => (state.dragged?.id === head.id ? state.dragged.matrix : null));
  const carrier = useMemo(() => new Matrix4().fromArray(head.carrier), [head.carrier]);
  const world = useMemo(() => new Matrix4().fromArray(dragged ?? head.matrix), [dragged, head.matrix]);
  const begun = useRef<{ scale: number; shown: Matrix4 } | null>(null);

  const ownScale = useCallback((): number => {
    const keys = keysOf(shape.scale);
    if (!keys) return Number(shape.scale);
    const inner = [...path, "scale"];
    const keyed = run.state.shown?.frame.head.keyed[addressOf(session.state.document, inner)];
    return Number(keyed ?? valueNear(keys, session.timeAt(inner)));
  }, [path, run, session, shape]);

  /** Show the shape in another place at once, and try the value that puts it there. */
  const offer = useCallback(
    (shown: Matrix4, name: string, value: (local: Vector3, turn: Quaternion) => KeyValue) => {
      run.store.setState({ dragged: { id: head.id, matrix: shown.toArray() } });
      const [local, turn] = parts(carrier.clone().invert().multiply(shown));
      session.tryDocument(put(session, [...path, name], value(local, turn)));
    },
    [carrier, head.id, path, run, session],
  );
  const apply = useCallback(
    (next: Object3D) => {
      const start = begun.current;
      if (!start) return;
      const size = mode === "scale" ? furthest(next.scale) : 1;
      const whole = new Vector3().setScalar(size * parts(start.shown)[2].x);
      const shown = new Matrix4().compose(next.position, next.quaternion, whole);
      if (mode === "move") offer(shown, "position", position);
      if (mode === "turn") offer(shown, "rotation", (_local, turn) => degrees(turn));
      if (mode === "scale") offer(shown, "scale", () => Math.max(1e-3, fine(start.scale * size)));
    },
    [mode, offer],
  );
  useGizmo({ mode, world, apply, begin: () => (begun.current = { scale: ownScale(), shown: world.clone() }), end });
  function end(): void {
    begun.current = null;
    session.settle();
  }
  const moveTo = (place: Vector3) => {
    const [, turn, stretch] = parts(world);
    offer(new Matrix4().compose(place, turn, stretch), "position", position);
  };
  const origin = useMemo(() => parts(world)[0], [world]);
  useEffect(() => engine.invalidate(), [engine, world, mode]);
  return (
    <>
      {mode === "move" && (
        <DotHandle place={origin} label={`Drag ${shape.label}`} onMove={moveTo} onEnd={() => session.settle()} />
      )}
      {"points" in shape && !keysOf(shape.points) && <Points shape={shape} path={path} world={world} />}
    </>
  );
}

interface Gizmo {
  mode: "move" | "turn" | "scale";
  world: Matrix4;
  apply: (next: Object3D) => void;
  begin: () => void;
  end: () => void;
}

/** Arrows, rings or bars on the stage. They keep their size on screen; the shape's own scale would distort what is dragged. */
function useGizmo(gizmo: Gizmo): void {
  const engine = useEngine();
  const given = useRef(gizmo);
  useEffect(() => {
    given.current = gizmo;
  });
  const anchor = useRef(new Object3D());
  const tool = useRef<TransformControls | null>(null);
  useEffect(() => {
    const moved = anchor.current;
    const controls = new TransformControls(engine.camera, engine.renderer.domElement);
    controls.setColors(...COLORS);
    controls.size = 0.8;
    controls.attach(moved);
    engine.scene.add(moved, controls.getHelper());
    controls.addEventListener("change", () => engine.invalidate());
    controls.addEventListener("objectChange", () => given.current.apply(moved));
    controls.addEventListener("dragging-changed", ({ value }) => {
      engine.hold(Boolean(value));
      if (value) given.current.begin();
      else given.current.end();
    });
    tool.current = controls;
    return () => {
      tool.current = null;
      engine.scene.remove(moved, controls.getHelper());
      controls.detach();
      controls.dispose();
      engine.hold(false);
      engine.invalidate();
    };
  }, [engine]);
  useEffect(() => {
    tool.current?.setMode(MODES[gizmo.mode]);
    if (tool.current?.dragging) return;
    const [place, turn] = parts(gizmo.world);
    anchor.current.position.copy(place);
    anchor.current.quaternion.copy(turn);
    anchor.current.scale.setScalar(1);
    anchor.current.updateMatrixWorld();
    tool.current?.setSpace("local");
    engine.invalidate();
  }, [engine, gizmo.mode, gizmo.world]);
}

function Points({ shape, path, world }: { shape: Extract<Shape, { points?: unknown }>; path: Path; world: Matrix4 }) {
  const session = useSession();
  const points = shape.points as number[][];
  const inverse = useMemo(() => world.clone().invert(), [world]);
  const placed = useMemo(
    () => points.map((point) => new Vector3().fromArray(point).applyMatrix4(world)),
    [points, world],
  );
  // A profile lies in one plane.
  const flat = shape.kind === "sheet" ? new Vector3(1, 1, 0) : new Vector3(1, 1, 1);
  const local = (place: Vector3) => place.clone().applyMatrix4(inverse).multiply(flat).toArray().map(fine);
  const inner = (...keys: Path): Path => [...path, "points", ...keys];
  const remove = (index: number) => points.length > 2 && session.edit(inner(index), undefined);
  const insert = (index: number, place: Vector3) =>
    session.edit(inner(), [...points.slice(0, index + 1), local(place), ...points.slice(index + 1)]);
  return (
    <>
      {placed.map((place, index) => (
        <DotHandle
          key={index}
          place={place}
          label={`Point ${index + 1} of ${shape.label}`}
          hint="Drag to move, Delete to remove"
          onMove={(next) => session.tryValue(inner(index), local(next))}
          onEnd={() => session.settle()}
          onRemove={() => remove(index)}
          point
        />
      ))}
      {placed.slice(0, "closed" in shape && shape.closed ? undefined : -1).map((place, index) => (
        <Between
          key={index}
          from={place}
          to={placed[(index + 1) % placed.length]!}
          number={index + 1}
          onInsert={(middle) => insert(index, middle)}
        />
      ))}
    </>
  );
}

interface BetweenProps {
  from: Vector3;
  to: Vector3;
  number: number;
  onInsert: (middle: Vector3) => void;
}

function Between({ from, to, number, onInsert }: BetweenProps) {
  const button = useRef<HTMLButtonElement>(null);
  const middle = useMemo(() => from.clone().add(to).multiplyScalar(0.5), [from, to]);
  usePin(button, middle);
  return (
    <button
      ref={button}
      type="button"
      aria-label={`Add a point after point ${number}`}
      title="Add a point here"
      onClick={() => onInsert(middle)}
      className="pin grid size-6 place-items-center text-xs leading-none text-ice opacity-70 hover:opacity-100"
    >
      <span className="grid size-4 place-items-center rounded-full border border-ice/60 bg-stage/80">+</span>
    </button>
  );
}

function parts(matrix: Matrix4): [Vector3, Quaternion, Vector3] {
  const [place, turn, stretch] = [new Vector3(), new Quaternion(), new Vector3()];
  matrix.decompose(place, turn, stretch);
  return [place, turn, stretch];
}

/** Of three stretches the one that was dragged: it is furthest from one. */
const furthest = (stretch: Vector3): number => {
  const away = (value: number) => Math.abs(Math.log(Math.max(1e-6, value)));
  return Math.max(1e-3, stretch.toArray().sort((a, b) => away(b) - away(a))[0]!);
};

/** About x, then y, then z, in degrees, as documents have it. */
function degrees(turn: Quaternion): number[] {
  const euler = new Euler().setFromQuaternion(turn, "ZYX");
  return [euler.x, euler.y, euler.z].map((angle) => Number(((angle * 180) / Math.PI).toFixed(2)));
}
