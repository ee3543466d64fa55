/** Picture mode: the finished picture over the stage, sharper with every sample; drag to look around, click a thing to focus on it. */

import { Camera, Clapperboard, Maximize, X } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { PerspectiveCamera, Vector3 } from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { withValue, type Effect } from "@/state/document";
import { curve, keysOf, withKey } from "@/state/keys";
import { Button, Hint } from "@/ui/controls";
import { plain } from "@/ui/numbers";
import { drawnInSoftware } from "../renderer";
import { extentOf, placeCamera } from "../view";
import { ClipDialog } from "./ClipDialog";
import { PictureRenderer } from "./PictureRenderer";
import { shotOf } from "./shots";
import { useRun, useRunOf, useSession, useStudio, useApp } from "@/state/use";
import type { ViewName } from "@/state/viewpoint";
import { useStore } from "zustand";

const MARGIN = 44;
/** Pixels that are drawn while one looks, at most: the finished picture has its own size. */
const MOST_PIXELS = drawnInSoftware ? 420_000 : 2_400_000;

export function PictureView() {
  const session = useSession();
  const run = useRunOf();
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const engine = useRef<{ renderer: PictureRenderer; controls: OrbitControls; camera: PerspectiveCamera } | null>(null);
  const [room, setRoom] = useState<[number, number]>([0, 0]);
  const [drawn, setDrawn] = useState<{ of: Effect | null; samples: number }>({ of: null, samples: 0 });
  const [asking, setAsking] = useState(false);
  const [failed, setFailed] = useState("");
  const effect = useStudio((state) => state.document);
  const playing = useStudio((state) => state.playing);
  const hidden = useStudio((state) => state.hidden);
  const shown = useRun((state) => state.shown);
  const shapes = useRun((state) => state.shapes);
  const { clips } = useApp();
  const making = useStore(clips.store, (state) => state.making !== null);
  // What stands there until the next is drawn is another picture: none of this one's samples are there yet.
  const sampled = drawn.of === effect ? drawn.samples : 0;
  const picture = effect?.picture;
  const own = picture?.camera === "own";
  const ratio = ratioOf(effect);
  const [wide, high] = fitted(room, ratio);

  useEffect(() => {
    const node = box.current;
    if (!node) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setRoom([entry.contentRect.width, entry.contentRect.height]),
    );
    observer.observe(node);
    return () => observer.disconnect();
  }, []);

  /** Draws sample after sample, a few a page frame, and shows each. */
  const turn = useRef(0);
  const looking = useRef(false);
  const silent = useRef(false);
  const refresh = useCallback(
    (only: number, of: Effect) => {
      const mine = ++turn.current;
      let shownAt = 0.5;
      const step = () => {
        const { renderer } = engine.current ?? {};
        if (!renderer || mine !== turn.current) return;
        if (clips.store.getState().making) {
          // A clip that is being made has the graphics card to itself; looking goes on afterwards.
          setTimeout(step, 400);
          return;
        }
        const until = performance.now() + 24;
        const goal = Math.min(renderer.wanted, only);
        do {
          if (renderer.sampled >= goal) break;
          renderer.sample();
        } while (performance.now() < until);
        // Showing costs about as much as a sample: the first few are shown one by one, later ones as their number doubles.
        if (renderer.sampled >= goal || renderer.sampled >= 2 * shownAt) {
          renderer.show();
          shownAt = renderer.sampled;
          setDrawn({ of, samples: renderer.sampled });
        }
        if (renderer.sampled < goal) requestAnimationFrame(step);
      };
      requestAnimationFrame(step);
    },
    [clips],
  );

  const asked = useRef(0);
  const put = useRef(0);
  const update = useCallback(async () => {
    const mine = ++asked.current;
    const { document: of, hidden: without, playing: moving } = session.state;
    const { shown: now } = run.state;
    if (!now || !engine.current) return;
    const shot = await shotOf(
      session,
      now.trial,
      now.frame.head.frame,
      without,
      undefined,
      engine.current.renderer.latest,
    );
    // Frames come when they come: an older picture never takes the place of a newer one.
    if (!shot || !engine.current || mine < put.current) return;
    put.current = mine;
    engine.current.renderer.put(shot);
    const { camera, controls } = engine.current;
    if (!looking.current) {
      // Undo and keyframes move the camera too: looking around goes on from there.
      silent.current = true;
      camera.position.fromArray(shot.view.position);
      controls.target.fromArray(shot.view.target);
      controls.update();
      silent.current = false;
    }
    refresh(moving ? (drawnInSoftware ? 1 : 4) : Infinity, of);
  }, [refresh, run, session]);

  useEffect(() => {
    let made: PictureRenderer;
    try {
      made = new PictureRenderer(canvas.current!, () => void update());
    } catch {
      // eslint-disable-next-line react-hooks/set-state-in-effect -- told once, where there is nothing to draw with
      setFailed("This browser gives no second drawing surface; close another page with 3D in it and come back.");
      return;
    }
    const camera = new PerspectiveCamera();
    const controls = new OrbitControls(camera, canvas.current!);
    controls.enableDamping = false;
    engine.current = { renderer: made, controls, camera };
    return () => {
      engine.current = null;
      controls.dispose();
      made.dispose();
    };
  }, [update]);

  useEffect(() => {
    const { renderer } = engine.current ?? {};
    if (!renderer || wide < 2) return;
    const finer = Math.min(window.devicePixelRatio, Math.sqrt(MOST_PIXELS / (wide * high)), 2);
    renderer.resize(Math.round(wide * finer), Math.round(high * finer));
    void update();
  }, [wide, high, update]);

  useEffect(() => void update(), [effect, shown, shapes, playing, hidden, update]);

  // Looking around moves the stage's camera, or the picture's own where it has one.
  useEffect(() => {
    const { controls, camera } = engine.current ?? {};
    if (!controls || !camera) return;
    const round = (vector: Vector3): [number, number, number] =>
      vector.toArray().map((value) => Number(value.toFixed(3))) as [number, number, number];
    const begun = () => (looking.current = true);
    const moved = () => {
      if (silent.current) return;
      const [position, target] = [round(camera.position), round(controls.target)];
      if (own) {
        let next = session.state.document;
        for (const [name, value] of [["position", position] as const, ["target", target] as const]) {
          const keys = keysOf(next.picture[name]);
          const path = ["picture", name];
          next = withValue(next, path, keys ? curve(withKey(keys, session.timeAt(path), value)) : value);
        }
        session.tryDocument(next);
      } else {
        session.viewpoint.stand({ position, target });
        void update();
      }
    };
    const look = (view: ViewName) => {
      const { shown: now, shapes: solid } = run.state;
      camera.fov = now?.frame.head.view.field_of_view ?? 36;
      camera.aspect = ratioOf(session.state.document);
      placeCamera(camera, controls.target, extentOf(now?.frame ?? null, solid), view);
      controls.update();
      if (own) session.settle();
    };
    const stop = session.viewpoint.answer({ look });
    const ended = () => {
      looking.current = false;
      if (own) session.settle();
    };
    controls.addEventListener("start", begun);
    controls.addEventListener("change", moved);
    controls.addEventListener("end", ended);
    return () => {
      controls.removeEventListener("start", begun);
      controls.removeEventListener("change", moved);
      controls.removeEventListener("end", ended);
      stop();
    };
  }, [own, run, session, update]);

  const down = useRef<[number, number] | null>(null);
  const focus = (event: React.PointerEvent) => {
    const from = down.current;
    down.current = null;
    if (!from || Math.hypot(event.clientX - from[0], event.clientY - from[1]) > 4) return;
    const frame = canvas.current!.getBoundingClientRect();
    const distance = engine.current?.renderer.distanceAt(
      (event.clientX - frame.left) / frame.width,
      (event.clientY - frame.top) / frame.height,
    );
    if (distance && distance > 0.01) session.edit(["picture", "focus"], Number(distance.toPrecision(4)));
  };

  if (!picture) return null;
  const samples = Number(picture.samples);
  return (
    <div
      ref={box}
      className="absolute inset-y-0 left-0 right-[var(--lens)] z-10 bg-[#0a0d0f] text-text"
      data-tone="dark"
      data-testid="picture"
      data-sampled={sampled}
      data-frame={shown?.frame.head.frame ?? ""}
    >
      <canvas
        ref={canvas}
        aria-label="The finished picture. Drag to look around, click a thing to focus on it."
        role="img"
        className="absolute touch-none"
        style={{
          width: wide,
          height: high,
          left: (room[0] - wide) / 2,
          top: MARGIN + (room[1] - MARGIN * 2 - high) / 2,
        }}
        onPointerDown={(event) => (down.current = [event.clientX, event.clientY])}
        onPointerUp={focus}
      />
      {failed && (
        <p role="alert" className="absolute left-4 top-14 text-xs text-ember">
          {failed}
        </p>
      )}
      <div className="absolute inset-x-3 top-2 flex items-center gap-2 text-xs">
        <Hint text="Back to the stage (P)">
          <button
            type="button"
            onClick={() => session.set({ picturing: false })}
            className="flex h-7 items-center gap-1 rounded px-2 text-soft hover:bg-raised hover:text-text"
          >
            <X className="size-3.5" /> Back to the stage
          </button>
        </Hint>
        <span className="flex-1" />
        <Hint text="Everything in view (0)">
          <button
            type="button"
            aria-label="Everything in view"
            onClick={() => session.viewpoint.look("home")}
            className="grid size-7 place-items-center rounded text-soft hover:bg-raised hover:text-text"
          >
            <Maximize className="size-3.5" />
          </button>
        </Hint>
        {!own && (
          <Hint text="Keep this point of view with the effect: the picture gets a camera of its own">
            <button
              type="button"
              onClick={() => {
                const now = session.state.document;
                const { position, target } = session.viewpoint.pose;
                const placed = { position: [...position], target: [...target] };
                session.commit({ ...now, picture: { ...now.picture, camera: "own", ...placed } });
              }}
              className="flex h-7 items-center gap-1 rounded px-2 text-soft hover:bg-raised hover:text-text"
            >
              <Camera className="size-3.5" /> Keep this view
            </button>
          </Hint>
        )}
        <Button tone="main" className="flex items-center gap-1.5" onClick={() => setAsking(true)}>
          <Clapperboard className="size-3.5" /> {making ? "Being made…" : "Still or clip…"}
        </Button>
      </div>
      <div className="absolute inset-x-3 bottom-2 flex items-baseline gap-3 text-xs text-soft">
        <span className="tabular">
          {String(picture.width)} × {String(picture.height)}
        </span>
        <span className="tabular" role="status">
          {sampled < samples && !playing ? `sample ${sampled} of ${samples}` : ""}
        </span>
        <span className="flex-1" />
        <span className="truncate">
          {Number(picture.aperture) > 0
            ? `sharp at ${plain(Number(shown?.frame.head.view.focus ?? picture.focus))} m: click a thing to focus on it`
            : "drag to look around"}
        </span>
      </div>
      <ClipDialog open={asking} onOpenChange={setAsking} />
    </div>
  );
}

const ratioOf = (effect: Effect | null): number =>
  Number(effect?.picture.width ?? 16) / Number(effect?.picture.height ?? 9);

function fitted([width, height]: [number, number], ratio: number): [number, number] {
  const [w, h] = [Math.max(0, width - 24), Math.max(0, height - MARGIN * 2)];
  return w / Math.max(1, h) > ratio ? [Math.round(h * ratio), Math.round(h)] : [Math.round(w), Math.round(w / ratio)];
}
