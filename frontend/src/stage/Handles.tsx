/** Handles of the selected shape: move, turn and scale it, and drag the points of a path. Values are tried while dragging. */

import { Html, PivotControls } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useCallback, useMemo, useRef } from "react";
import { Euler, Matrix4, Plane, Quaternion, Raycaster, Vector2, Vector3, type Camera } from "three";
import { addressOf, at, withValue, type Effect, type Json, type Node, type Path } from "@/state/document";
import { curve, keysOf, valueNear, withKey, type KeyValue } from "@/state/keys";
import { settle } from "@/state/store";
import { commit, timeAt, tryDocument, useStudio } from "@/state/studio";
import { usePicture, type ShapeHead } from "@/state/trials";

export type HandleMode = "move" | "turn" | "scale";

interface Props {
  shape: Node;
  index: number;
  head: ShapeHead;
  mode: HandleMode;
}

const fine = (value: number): number => Number(value.toFixed(4));

const position = (local: Vector3): KeyValue => local.toArray().map(fine);

/** Put a value at the playhead: a key where there are keyframes, the value itself where not. */
function put(effect: Effect, path: Path, value: KeyValue): Effect {
  const studio = useStudio.getState();
  const keys = keysOf(at(effect, path));
  const next = keys ? curve(withKey(keys, timeAt(studio, studio.frame, path), value)) : (value as Json);
  return withValue(effect, path, next);
}

function ownValue(shape: Node, name: string, path: Path): KeyValue {
  const keys = keysOf(shape[name]);
  if (!keys) return shape[name] as KeyValue;
  const studio = useStudio.getState();
  const address = studio.document ? addressOf(studio.document, [...path, name]) : "";
  return usePicture.getState().shown?.frame.head.keyed[address] ?? valueNear(keys, timeAt(studio, studio.frame, path));
}

export function Handles({ shape, index, head, mode }: Props) {
  const invalidate = useThree((state) => state.invalidate);
  const path = useMemo(() => ["shapes", index] as Path, [index]);
  const dragged = usePicture((state) => (state.dragged?.id === head.id ? state.dragged.matrix : null));
  const carrier = useMemo(() => new Matrix4().fromArray(head.carrier), [head.carrier]);
  const begun = useRef<{ scale: number; shown: Matrix4 } | null>(null);
  const world = useMemo(() => new Matrix4().fromArray(dragged ?? head.matrix), [dragged, head.matrix]);
  // Handles keep their size on screen; the shape's own scale would distort what is dragged.
  const frame = useMemo(() => {
    const [place, turn] = parts(world);
    return new Matrix4().compose(place, turn, new Vector3(1, 1, 1));
  }, [world]);

  /** Show the shape in another place at once, and try the value that puts it there. */
  const offer = useCallback(
    (shown: Matrix4, name: string, value: (local: Vector3, turn: Quaternion) => KeyValue) => {
      usePicture.setState({ dragged: { id: head.id, matrix: shown.toArray() } });
      const [local, turn] = parts(carrier.clone().invert().multiply(shown));
      const { document } = useStudio.getState();
      if (document) tryDocument(put(document, [...path, name], value(local, turn)));
      invalidate();
    },
    [carrier, head.id, invalidate, path],
  );
  const apply = useCallback(
    (next: Matrix4) => {
      const start = begun.current;
      if (!start) return;
      const [place, turn, stretch] = parts(next);
      const size = mode === "scale" ? furthest(stretch) : 1;
      const scaled = new Matrix4().compose(place, turn, new Vector3().setScalar(size * parts(start.shown)[2].x));
      if (mode === "move") offer(scaled, "position", position);
      if (mode === "turn") offer(scaled, "rotation", (_local, localTurn) => degrees(localTurn));
      if (mode === "scale") offer(scaled, "scale", () => Math.max(1e-3, fine(start.scale * size)));
    },
    [mode, offer],
  );
  const begin = useCallback(() => {
    begun.current = { scale: Number(ownValue(shape, "scale", path)), shown: world.clone() };
  }, [path, shape, world]);
  const end = useCallback(() => {
    begun.current = null;
    settle();
  }, []);
  const moveTo = useCallback(
    (place: Vector3) => {
      const [, turn, stretch] = parts(world);
      offer(new Matrix4().compose(place, turn, stretch), "position", position);
    },
    [offer, world],
  );
  const origin = parts(world)[0];
  return (
    <>
      <PivotControls
        matrix={frame}
        autoTransform={false}
        fixed
        scale={78}
        lineWidth={2.4}
        depthTest={false}
        axisColors={["#d59a86", "#9fc59a", "#8fb0d6"]}
        hoveredColor="#d8b56c"
        disableAxes={mode !== "move"}
        disableSliders={mode !== "move"}
        disableRotations={mode !== "turn"}
        disableScaling={mode !== "scale"}
        onDragStart={begin}
        onDrag={apply}
        onDragEnd={end}
      />
      {mode === "move" && (
        <DotHandle place={origin} label={`Drag ${String(shape.label)}`} onMove={moveTo} onEnd={end} />
      )}
      {shape.kind === "path" && !keysOf(shape.points) && <PathPoints shape={shape} path={path} world={world} />}
    </>
  );
}

function PathPoints({ shape, path, world }: { shape: Node; path: Path; world: Matrix4 }) {
  const points = shape.points as number[][];
  const inverse = useMemo(() => world.clone().invert(), [world]);
  const placed = points.map((point) => new Vector3(...(point as [number, number, number])).applyMatrix4(world));
  const local = (place: Vector3) => place.clone().applyMatrix4(inverse).toArray().map(fine);
  const tryPoint = (index: number, place: Vector3) => {
    const { document } = useStudio.getState();
    if (document) tryDocument(withValue(document, [...path, "points", index], local(place)));
  };
  const insert = (index: number, place: Vector3) => {
    const { document } = useStudio.getState();
    if (document)
      commit(
        withValue(
          document,
          [...path, "points"],
          [...points.slice(0, index + 1), local(place), ...points.slice(index + 1)],
        ),
      );
  };
  const remove = (index: number) => {
    const { document } = useStudio.getState();
    if (document && points.length > 2) commit(withValue(document, [...path, "points", index], undefined));
  };
  return (
    <>
      {placed.map((place, index) => (
        <DotHandle
          key={index}
          place={place}
          label={`Point ${index + 1} of ${String(shape.label)}`}
          hint="Drag to move, Delete to remove"
          onMove={(next) => tryPoint(index, next)}
          onEnd={settle}
          onRemove={() => remove(index)}
          point
        />
      ))}
      {placed.slice(0, shape.closed ? undefined : -1).map((place, index) => {
        const middle = place
          .clone()
          .add(placed[(index + 1) % placed.length]!)
          .multiplyScalar(0.5);
        return (
          <Html key={`middle ${index}`} position={middle} center zIndexRange={[20, 10]}>
            <button
              type="button"
              aria-label={`Add a point after point ${index + 1}`}
              title="Add a point here"
              onClick={() => insert(index, middle)}
              className="grid size-4 place-items-center rounded-full border border-ice/60 bg-stage/80 text-[10px] leading-none text-ice opacity-60 hover:opacity-100"
            >
              +
            </button>
          </Html>
        );
      })}
    </>
  );
}

interface DotProps {
  place: Vector3;
  label: string;
  hint?: string;
  point?: boolean;
  onMove: (place: Vector3) => void;
  onEnd: () => void;
  onRemove?: () => void;
}

/** A round handle that is dragged in the plane of the picture, or nudged with the arrow keys (Shift: further). */
function DotHandle({ place, label, hint, point, onMove, onEnd, onRemove }: DotProps) {
  const { camera, gl, get } = useThree();
  const start = useRef<{ plane: Plane; away: Vector3 } | null>(null);
  const under = (event: { clientX: number; clientY: number }, plane: Plane) => hit(camera, gl.domElement, event, plane);
  // While a handle is dragged the camera stays where it is.
  const hold = (free: boolean) => Object.assign(get().controls ?? {}, { enabled: free });
  const nudge = (event: React.KeyboardEvent) => {
    if (onRemove && (event.key === "Delete" || event.key === "Backspace")) {
      event.preventDefault();
      return onRemove();
    }
    const ways: Record<string, [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, 1],
      ArrowDown: [0, -1],
    };
    const way = ways[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    const step = (event.shiftKey ? 0.02 : 0.002) * camera.position.distanceTo(place);
    const right = new Vector3().setFromMatrixColumn(camera.matrixWorld, 0);
    const up = new Vector3().setFromMatrixColumn(camera.matrixWorld, 1);
    onMove(
      place
        .clone()
        .addScaledVector(right, way[0] * step)
        .addScaledVector(up, way[1] * step),
    );
    onEnd();
  };
  return (
    <Html position={place} center zIndexRange={[30, 20]}>
      <button
        type="button"
        aria-label={label}
        title={hint ?? `${label}, or use the arrow keys`}
        className={`block cursor-grab touch-none rounded-full border-2 active:cursor-grabbing ${point ? "size-3.5 border-ice bg-stage hover:bg-ice" : "size-3.5 border-brass bg-stage hover:bg-brass"}`}
        onPointerDown={(event) => {
          event.stopPropagation();
          event.currentTarget.setPointerCapture(event.pointerId);
          const plane = new Plane().setFromNormalAndCoplanarPoint(camera.getWorldDirection(new Vector3()), place);
          const grabbed = under(event, plane);
          start.current = { plane, away: grabbed ? place.clone().sub(grabbed) : new Vector3() };
          hold(false);
        }}
        onPointerMove={(event) => {
          const now = start.current && under(event, start.current.plane);
          if (now && start.current) onMove(now.add(start.current.away));
        }}
        onPointerUp={() => {
          if (start.current) onEnd();
          start.current = null;
          hold(true);
        }}
        onKeyDown={nudge}
      />
    </Html>
  );
}

function hit(
  camera: Camera,
  canvas: HTMLCanvasElement,
  event: { clientX: number; clientY: number },
  plane: Plane,
): Vector3 | null {
  const box = canvas.getBoundingClientRect();
  const caster = new Raycaster();
  caster.setFromCamera(
    new Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2),
    camera,
  );
  return caster.ray.intersectPlane(plane, new Vector3());
}

function parts(matrix: Matrix4): [Vector3, Quaternion, Vector3] {
  const [place, turn, stretch] = [new Vector3(), new Quaternion(), new Vector3()];
  matrix.decompose(place, turn, stretch);
  return [place, turn, stretch];
}

/** Of three stretches the one that was dragged: it is furthest from one. */
const furthest = (stretch: Vector3): number =>
  Math.max(
    1e-3,
    [...stretch.toArray()].sort(
      (a, b) => Math.abs(Math.log(Math.max(1e-6, b))) - Math.abs(Math.log(Math.max(1e-6, a))),
    )[0]!,
  );

/** About x, then y, then z, in degrees, as documents have it. */
function degrees(turn: Quaternion): number[] {
  const euler = new Euler().setFromQuaternion(turn, "ZYX");
  return [euler.x, euler.y, euler.z].map((angle) => Number(((angle * 180) / Math.PI).toFixed(2)));
}
