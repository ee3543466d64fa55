/** The stage: the picture in three dimensions, with grid, scale, shapes, rings and the picked particle. */

import { OrbitControls } from "@react-three/drei";
import { Canvas, useThree } from "@react-three/fiber";
import { Image, Maximize } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState, type ComponentRef } from "react";
import { Color, GridHelper, PerspectiveCamera, SRGBColorSpace, Vector3 } from "three";
import { runAlone, usePicture } from "@/state/trials";
import type { Node } from "@/state/document";
import { valueNow, type KeyValue } from "@/state/keys";
import { lastFrame, useStudio } from "@/state/studio";
import { waitsFor } from "@/ui/words";
import { Hint } from "@/ui/controls";
import { ruleName } from "@/score/numbering";
import { count, counted, plain } from "@/ui/numbers";
import { FieldTools, FieldView, useChosenField } from "./FieldView";
import { Handles, type HandleMode } from "./Handles";
import { Legend } from "./Legend";
import { asSeen, layersOf, type LayerData } from "./drawing/data";
import { ParticleLayers } from "./ParticleLayers";
import { PictureView } from "./picture/PictureView";
import { stagePose } from "./picture/shots";
import { Shapes } from "./Shapes";
import { drawnInSoftware } from "./renderer";
import { boundsOf, pick, placeCamera, stageView, type ViewName } from "./view";

const MODES: [string, HandleMode, string][] = [
  ["Move", "move", "M"],
  ["Turn", "turn", "T"],
  ["Scale", "scale", "S"],
];

const VIEWS: { view: ViewName; label: string }[] = [
  { view: "front", label: "Front" },
  { view: "side", label: "Side" },
  { view: "above", label: "Above" },
];

/** The stage stays dark in either tone: the colours of a picture are judged against the same ground. */
export function Stage() {
  const shown = usePicture((state) => state.shown);
  const shapes = usePicture((state) => state.shapes);
  const id = useStudio((state) => state.id);
  const highlighted = useStudio((state) => state.highlighted);
  const particle = useStudio((state) => state.particle);
  const chosenIndex = useStudio((state) => (state.selected?.[0] === "shapes" ? Number(state.selected[1]) : -1));
  const chosen = useStudio((state) =>
    state.selected?.[0] === "shapes" ? (state.document?.shapes[Number(state.selected[1])] ?? null) : null,
  );
  const playing = useStudio((state) => state.playing);
  const mode = useStudio((state) => state.handles);
  const head =
    chosen &&
    (shown?.frame.head.shapes.find((shape) => shape.id === chosen.id) ??
      shapes?.head.shapes.find((shape) => shape.id === chosen.id));
  const chosenField = useChosenField();
  const groups = useStudio((state) => state.document?.groups);
  const hidden = useStudio((state) => state.hidden);
  const byGroup = useStudio((state) => state.byGroup);
  const layers = useMemo(
    () => asSeen(layersOf(shown?.frame ?? null), groups ?? [], hidden, byGroup),
    [shown, groups, hidden, byGroup],
  );
  const seenToo = useMemo(() => (highlighted?.left ? [...layers, highlighted.left] : layers), [layers, highlighted]);
  const marked = useMemo(
    () => highlighted?.ids ?? (particle !== null ? new Set([particle]) : null),
    [highlighted, particle],
  );
  const [metre, setMetre] = useState(0);
  const picturing = useStudio((state) => state.picturing);
  return (
    <div
      className="absolute inset-0 bg-stage text-text"
      data-tone="dark"
      data-testid="stage"
      data-frame={shown?.frame.head.frame ?? ""}
      data-count={shown?.frame.head.count ?? ""}
      data-trial={shown?.trial ?? ""}
    >
      <Canvas
        frameloop={picturing ? "never" : "demand"}
        dpr={drawnInSoftware ? 1 : [1, 2]}
        camera={{ fov: 36, position: [5, 4, 9] }}
        gl={{ antialias: !drawnInSoftware, preserveDrawingBuffer: true }}
        aria-label="The stage: particles in three dimensions. Drag to turn, scroll to come closer."
        role="group"
      >
        <Backdrop />
        <Ground />
        {shapes && (
          <Shapes
            block={shapes}
            frame={shown?.frame ?? null}
            selected={chosen ? String(chosen.id) : null}
            onPick={(index) => useStudio.setState({ selected: ["shapes", index] })}
          />
        )}
        {chosen && head && !playing && <Handles shape={chosen} index={chosenIndex} head={head} mode={mode} />}
        {chosenField && (
          <FieldView key={String(chosenField.field.id)} field={chosenField.field} index={chosenField.index} />
        )}
        <ParticleLayers layers={seenToo} trial={shown?.trial ?? ""} marked={marked} dim={highlighted !== null} />
        <CameraRig effect={id} onMetre={setMetre} layers={layers} />
      </Canvas>
      {picturing ? <PictureView /> : <Overlay metre={metre} />}
      {chosenField && <FieldTools field={chosenField.field} />}
      {chosen && (
        <div
          role="group"
          aria-label={`Handles of ${String(chosen.label)}`}
          className="absolute left-3 top-3 flex items-center gap-0.5 rounded bg-panel/85 p-0.5 text-xs"
        >
          <span className="max-w-28 truncate px-2 text-soft">{String(chosen.label)}</span>
          {MODES.map(([word, value, keys]) => (
            <button
              key={value}
              type="button"
              aria-pressed={mode === value}
              title={`${word} it (${keys})`}
              onClick={() => useStudio.setState({ handles: value })}
              className={`rounded px-2 py-0.5 ${mode === value ? "bg-ice/15 text-ice" : "text-soft hover:text-text"}`}
            >
              {word}
            </button>
          ))}
          <button
            type="button"
            aria-label="Let go of it"
            title="Let go of it (Escape)"
            onClick={() => useStudio.setState({ selected: null })}
            className="grid size-6 place-items-center rounded text-soft hover:text-text"
          >
            ×
          </button>
        </div>
      )}
    </div>
  );
}

/** The tone of the finished picture, so that colours are judged against it. */
function Backdrop() {
  const computed = usePicture((state) => state.shown?.frame.head.keyed["picture/background"]);
  const given = useStudio((state) => state.document?.picture.background);
  const tone = useMemo(() => {
    const parts = valueNow(given, computed as KeyValue | undefined, 0);
    // Told as it is stored: sRGB-encoded, and drawn without any conversion.
    return new Color().setRGB(
      ...((Array.isArray(parts) ? parts : [0.063, 0.078, 0.09]) as [number, number, number]),
      SRGBColorSpace,
    );
  }, [computed, given]);
  return <primitive object={tone} attach="background" />;
}

function Ground() {
  const grid = useMemo(() => {
    const helper = new GridHelper(40, 40, "#3a464d", "#232b30");
    helper.position.y = -0.002;
    return helper;
  }, []);
  return <primitive object={grid} />;
}

interface RigProps {
  effect: string | null;
  layers: LayerData[];
  onMetre: (pixels: number) => void;
}

/** Moves the camera and answers clicks. */
function CameraRig({ effect, layers, onMetre }: RigProps) {
  const framed = useRef<string | null>(null);
  const { camera, gl, size, invalidate } = useThree();
  const controls = useRef<ComponentRef<typeof OrbitControls>>(null);
  const shown = usePicture((state) => state.shown);
  const shapes = usePicture((state) => state.shapes);

  const measure = useCallback(() => {
    const view = camera as PerspectiveCamera;
    const distance = view.position.distanceTo(controls.current?.target ?? new Vector3());
    onMetre(size.height / (2 * Math.tan((view.fov * Math.PI) / 360) * distance));
    if (!useStudio.getState().picturing)
      Object.assign(stagePose, {
        position: view.position.toArray(),
        target: controls.current?.target.toArray() ?? [0, 1, 0],
      });
  }, [camera, size.height, onMetre]);

  const look = useCallback(
    (view: ViewName) => {
      if (!controls.current) return;
      const { shown: now, shapes: solid } = usePicture.getState();
      placeCamera(camera as PerspectiveCamera, controls.current.target, boundsOf(now?.frame ?? null, solid), view);
      controls.current.update();
      measure();
      invalidate();
    },
    [camera, invalidate, measure],
  );

  useEffect(() => {
    // In picture mode the picture's own camera answers.
    if (!useStudio.getState().picturing) stageView.look = look;
  }, [look]);

  // Frame a newly opened effect once, as soon as its shapes and first picture are there.
  useEffect(() => {
    if (effect && framed.current !== effect && shown && shapes) {
      framed.current = effect;
      look("home");
    }
  }, [effect, shown, shapes, look]);

  // Whoever looked around in picture mode comes back to the same point of view.
  const picturing = useStudio((state) => state.picturing);
  useEffect(() => {
    if (picturing || !controls.current) return;
    camera.position.fromArray(stagePose.position);
    controls.current.target.fromArray(stagePose.target);
    controls.current.update();
    invalidate();
  }, [picturing, camera, invalidate]);
  useEffect(() => invalidate(), [layers, shapes, invalidate]);
  useEffect(measure, [measure]);

  useEffect(() => {
    const canvas = gl.domElement;
    let down: { x: number; y: number } | null = null;
    const press = (event: PointerEvent) => (down = { x: event.clientX, y: event.clientY });
    const release = (event: PointerEvent) => {
      if (!down || Math.hypot(event.clientX - down.x, event.clientY - down.y) > 4) return;
      const box = canvas.getBoundingClientRect();
      const id = pick(
        layers,
        camera as PerspectiveCamera,
        event.clientX - box.left,
        event.clientY - box.top,
        box.width,
        box.height,
      );
      useStudio.setState(id === null ? { particle: null } : { particle: id, lens: "probe", lensOpen: true });
    };
    canvas.addEventListener("pointerdown", press);
    canvas.addEventListener("pointerup", release);
    return () => {
      canvas.removeEventListener("pointerdown", press);
      canvas.removeEventListener("pointerup", release);
    };
  }, [gl, camera, layers]);

  return <OrbitControls ref={controls} makeDefault enableDamping={false} onChange={measure} />;
}

function Overlay({ metre }: { metre: number }) {
  const shown = usePicture((state) => state.shown);
  const trial = useStudio((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const document_ = useStudio((state) => state.document);
  const refusal = useStudio((state) => state.refusal);
  const highlight = useStudio((state) => state.highlight);
  const highlighted = useStudio((state) => state.highlighted);
  const solo = useStudio((state) => state.solo);
  const hint = useStudio((state) => state.hint);
  useEffect(() => {
    if (!hint) return;
    const timer = setTimeout(() => useStudio.setState({ hint: null }), 6000);
    return () => clearTimeout(timer);
  }, [hint]);
  const nice =
    metre > 0
      ? ([0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((length) => length * metre > 56) ?? 100)
      : 1;
  const waiting = trial && frame >= trial.computed && trial.state === "computing";
  const old = shown && trial && shown.trial !== trial.id;
  return (
    <div className="pointer-events-none absolute inset-0 p-3 text-xs text-soft">
      <div className="pointer-events-auto absolute right-3 top-3 flex gap-1">
        <Hint text="The finished picture (P)">
          <button
            type="button"
            onClick={() => useStudio.setState({ picturing: true })}
            className="flex items-center gap-1 rounded bg-panel/70 px-2 py-1 hover:text-text"
          >
            <Image className="size-3.5" /> Picture
          </button>
        </Hint>
        <Hint text="Everything in view (0)">
          <button
            type="button"
            aria-label="Everything in view"
            onClick={() => stageView.look("home")}
            className="rounded bg-panel/70 p-1.5 hover:text-text"
          >
            <Maximize className="size-3.5" />
          </button>
        </Hint>
        {VIEWS.map(({ view, label }, index) => (
          <Hint key={view} text={`From the ${label.toLowerCase()} (${index + 1})`}>
            <button
              type="button"
              onClick={() => stageView.look(view)}
              className="rounded bg-panel/70 px-2 py-1 hover:text-text"
            >
              {label}
            </button>
          </Hint>
        ))}
      </div>
      <div className="absolute bottom-3 left-3 space-y-1 rounded bg-stage/75 px-2 py-1">
        <Legend />
        {shown && <div className="tabular">{counted(shown.frame.head.count, "particle")}</div>}
        <div className="flex items-center gap-2">
          <span className="inline-block h-[5px] border border-t-0 border-soft/70" style={{ width: nice * metre }} />
          <span className="tabular">{plain(nice)} m</span>
        </div>
      </div>
      {solo.length > 0 && (
        <div
          role="status"
          className="absolute left-1/2 top-3 -translate-x-1/2 rounded bg-panel/90 px-2 py-1 text-brass"
        >
          Only {solo.length === 1 ? nameOfRule(document_?.rules ?? [], solo[0]!) : `${solo.length} rules`}{" "}
          {solo.length === 1 ? "is" : "are"} run
          <button type="button" className="pointer-events-auto ml-2 text-ice" onClick={() => runAlone([])}>
            run all
          </button>
        </div>
      )}
      {highlight && (
        <div className="absolute left-3 top-11 max-w-[60%] rounded bg-panel/85 px-2 py-1 text-text">
          Ringed: {highlight.label}
          {highlighted && (
            <span className="tabular text-soft">
              {" "}
              · {count(highlighted.ids.size)} of {count(highlighted.of)}{" "}
              {highlighted.turn ? `at its turn in frame ${frame}` : `at the end of frame ${frame}`}
              {highlighted.left && `, ${count(highlighted.left.head.count)} where they left`}
            </span>
          )}
          {highlight.pinned && (
            <button
              type="button"
              className="pointer-events-auto ml-2 text-ice"
              onClick={() => useStudio.setState({ highlight: null, highlighted: null })}
            >
              unpin
            </button>
          )}
        </div>
      )}
      {hint && (
        <div
          role="status"
          className="absolute bottom-12 left-1/2 max-w-[70%] -translate-x-1/2 rounded border border-line bg-panel/95 px-3 py-2 text-text"
        >
          {hint}
        </div>
      )}
      {refusal ? (
        <Notice tone="text-ember">
          <b className="font-medium">This cannot run as it is.</b> {refusal}. The picture shows the last state that
          could.
        </Notice>
      ) : trial?.state === "failed" ? (
        <Notice tone="text-ember">
          <b className="font-medium">The run failed.</b> {trial.message}
        </Notice>
      ) : waiting || old ? (
        <div className="absolute bottom-3 right-3 flex items-center gap-2 rounded bg-panel/85 px-2 py-1" role="status">
          {trial?.waiting ? (
            <span className="max-w-56 text-brass">{waitsFor(trial.waiting)}</span>
          ) : (
            <span className="tabular text-brass">
              computing frame {trial?.computed} of {lastFrame(document_)}
            </span>
          )}
        </div>
      ) : null}
    </div>
  );
}

function nameOfRule(rules: Node[], id: string): string {
  const index = rules.findIndex((rule) => rule.id === id);
  return `rule ${ruleName(rules, index)}`;
}

function Notice({ tone, children }: { tone: string; children: React.ReactNode }) {
  return (
    <div
      role="alert"
      className={`absolute bottom-3 left-1/2 max-w-[70%] -translate-x-1/2 rounded border border-ember/40 bg-panel/95 px-3 py-2 ${tone}`}
    >
      {children}
    </div>
  );
}
