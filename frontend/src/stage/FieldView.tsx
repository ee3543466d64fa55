/** The selected field on the stage: its boundaries as thin shells, a coloured slice through it, and handles on a falloff's two boundaries. */

import { Html } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo, useRef, useState } from "react";
import { create } from "zustand";
import {
  BufferAttribute,
  BufferGeometry,
  ClampToEdgeWrapping,
  DataTexture,
  DoubleSide,
  LinearFilter,
  Plane,
  Raycaster,
  RedFormat,
  ShaderMaterial,
  UnsignedByteType,
  Vector2,
  Vector3,
} from "three";
import type { Block } from "@/api/block";
import { fetchBlock } from "@/api/client";
import { withValue, type Node } from "@/state/document";
import { keysOf } from "@/state/keys";
import { settle } from "@/state/store";
import { tryDocument, useStudio } from "@/state/studio";
import { usePicture } from "@/state/trials";
import { withUnit } from "@/ui/numbers";
import { Shell } from "./Shell";

interface FieldHead {
  field: string;
  low: number[];
  high: number[];
  boundaries: string[];
  line: [number[], number[]] | null;
  slice: { axis: string; at: number; corner: number[]; across: number[]; up: number[]; width: number; height: number };
}
type FieldBlock = Block<FieldHead>;

export type SliceAxis = "x" | "y" | "z" | "none";

interface Cut {
  axis: SliceAxis;
  at: number;
  /** What is on the stage: the field with the trial and frame that it was read from. */
  drawn: string;
}
/** Where fields are cut; the same for all, so that one can compare them. */
export const useCut = create<Cut>()(() => ({ axis: "z", at: 0.5, drawn: "" }));

/** The selected field with its place in the document. */
export function useChosenField(): { field: Node; index: number } | null {
  const index = useStudio((state) => (state.selected?.[0] === "fields" ? Number(state.selected[1]) : -1));
  const field = useStudio((state) => (index >= 0 ? (state.document?.fields[index] ?? null) : null));
  return useMemo(() => (field ? { field, index } : null), [field, index]);
}

function useFieldBlock(id: string | null): FieldBlock | null {
  const shown = usePicture((state) => state.shown);
  const axis = useCut((state) => state.axis);
  const at = useCut((state) => state.at);
  const [block, setBlock] = useState<FieldBlock | null>(null);
  const trial = shown?.trial;
  const frame = shown?.frame.head.frame;
  useEffect(() => {
    if (!id || !trial || frame === undefined) return;
    const abort = new AbortController();
    const query = new URLSearchParams({ axis: axis === "none" ? "z" : axis, at: String(at) });
    fetchBlock<FieldHead>(
      `/api/trials/${trial}/frames/${frame}/fields/${id}?${query.toString()}`,
      undefined,
      abort.signal,
    )
      .then((found) => {
        setBlock(found);
        useCut.setState({ drawn: `${id} ${trial} ${frame}` });
      })
      .catch(() => undefined);
    return () => abort.abort();
  }, [id, trial, frame, axis, at]);
  return block && block.head.field === id ? block : null;
}

export function FieldView({ field, index }: { field: Node; index: number }) {
  const block = useFieldBlock(String(field.id));
  const axis = useCut((state) => state.axis);
  const playing = useStudio((state) => state.playing);
  if (!block) return null;
  return (
    <>
      {axis !== "none" && <SlicePicture block={block} />}
      {block.head.boundaries.map((name) => (
        <Shell
          key={name}
          vertices={block.arrays[`${name}/vertices`] as Float32Array}
          faces={block.arrays[`${name}/faces`] as Int32Array}
          strength={name === "outer" ? 0.55 : 0.8}
        />
      ))}
      {block.head.line && field.kind === "falloff" && !playing && (
        <BoundaryHandles field={field} index={index} line={block.head.line} />
      )}
    </>
  );
}

const PLANE = {
  vertexShader: /* glsl */ `
    varying vec2 vPlace;
    void main() {
      vPlace = uv;
      gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
    }
  `,
  fragmentShader: /* glsl */ `
    uniform sampler2D values;
    varying vec2 vPlace;
    void main() {
      float v = texture2D(values, vPlace).r;
      vec3 tone = v < 0.5 ? mix(vec3(0.16, 0.18, 0.34), vec3(0.20, 0.48, 0.55), v * 2.0) : mix(vec3(0.20, 0.48, 0.55), vec3(0.86, 0.95, 0.90), v * 2.0 - 1.0);
      // Lines at a quarter, a half (the strongest) and three quarters.
      float wide = fwidth(v) * 1.2 + 1e-4;
      float half_ = 1.0 - smoothstep(0.0, wide * 1.4, abs(v - 0.5));
      float others = 1.0 - smoothstep(0.0, wide, min(abs(v - 0.25), abs(v - 0.75)));
      float flat_ = step(fwidth(v), 1e-4);
      float line = max(half_, 0.45 * others) * (1.0 - flat_);
      gl_FragColor = vec4(mix(tone, vec3(0.95, 0.98, 0.97), line * 0.75), mix(0.16, 0.62, v) + 0.25 * line);
    }
  `,
};

function SlicePicture({ block }: { block: FieldBlock }) {
  const invalidate = useThree((state) => state.invalidate);
  const values = block.arrays.slice as Uint8Array;
  const { corner, across, up, width, height } = block.head.slice;
  const texture = useMemo(() => {
    const made = new DataTexture(values, width, height, RedFormat, UnsignedByteType);
    made.magFilter = made.minFilter = LinearFilter;
    made.wrapS = made.wrapT = ClampToEdgeWrapping;
    made.unpackAlignment = 1;
    made.needsUpdate = true;
    return made;
  }, [values, width, height]);
  const geometry = useMemo(() => {
    const at = (a: number, b: number) => corner.map((value, k) => value + across[k]! * a + up[k]! * b);
    const made = new BufferGeometry();
    made.setAttribute(
      "position",
      new BufferAttribute(new Float32Array([...at(0, 0), ...at(1, 0), ...at(1, 1), ...at(0, 1)]), 3),
    );
    made.setAttribute("uv", new BufferAttribute(new Float32Array([0, 0, 1, 0, 1, 1, 0, 1]), 2));
    made.setIndex([0, 1, 2, 0, 2, 3]);
    return made;
  }, [corner, across, up]);
  const material = useMemo(
    () =>
      new ShaderMaterial({
        ...PLANE,
        uniforms: { values: { value: texture } },
        transparent: true,
        depthWrite: false,
        side: DoubleSide,
      }),
    [texture],
  );
  useEffect(() => {
    invalidate();
    return () => {
      texture.dispose();
      geometry.dispose();
      material.dispose();
    };
  }, [texture, geometry, material, invalidate]);
  return <mesh geometry={geometry} material={material} renderOrder={2} />;
}

/** Two round handles on a line straight out of the shape: what each boundary's distance is. */
function BoundaryHandles({ field, index, line }: { field: Node; index: number; line: [number[], number[]] }) {
  const units = useStudio((state) => state.catalogue?.units) ?? {};
  const place = useMemo(() => new Vector3(...(line[0] as [number, number, number])), [line]);
  const way = useMemo(() => new Vector3(...(line[1] as [number, number, number])), [line]);
  const { camera, gl, get } = useThree();
  const dragging = useRef<string | null>(null);
  const distance = (event: { clientX: number; clientY: number }): number | null => {
    const box = gl.domElement.getBoundingClientRect();
    const caster = new Raycaster();
    caster.setFromCamera(
      new Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2),
      camera,
    );
    // The plane through the line that faces the eye most.
    const toward = camera.getWorldDirection(new Vector3());
    const normal = toward.clone().addScaledVector(way, -toward.dot(way)).normalize();
    const hit = caster.ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal, place), new Vector3());
    return hit ? hit.sub(place).dot(way) : null;
  };
  const put = (name: string, value: number) => {
    const { document } = useStudio.getState();
    const [inner, outer] = [Number(field.inner), Number(field.outer)];
    // Neither boundary passes the other.
    const held = name === "inner" ? Math.min(value, outer) : Math.max(value, inner);
    if (document) tryDocument(withValue(document, ["fields", index, name], Number(held.toFixed(3))));
  };
  return (
    <>
      {(["inner", "outer"] as const).map((name) => {
        if (keysOf(field[name])) return null;
        const value = Number(field[name]);
        return (
          <Html key={name} position={place.clone().addScaledVector(way, value)} center zIndexRange={[30, 20]}>
            <button
              type="button"
              aria-label={`${name === "inner" ? "Inner" : "Outer"} boundary of ${String(field.label)}: ${withUnit(value, "m", units)}`}
              title={`${name === "inner" ? "1 within" : "0 beyond"} ${withUnit(value, "m", units)}. Drag, or use the arrow keys.`}
              className={`block size-3.5 cursor-grab touch-none rounded-full border-2 border-ice active:cursor-grabbing ${name === "inner" ? "bg-ice/80" : "bg-stage hover:bg-ice"}`}
              onPointerDown={(event) => {
                event.stopPropagation();
                event.currentTarget.setPointerCapture(event.pointerId);
                dragging.current = name;
                Object.assign(get().controls ?? {}, { enabled: false });
              }}
              onPointerMove={(event) => {
                const now = dragging.current === name ? distance(event) : null;
                if (now !== null) put(name, now);
              }}
              onPointerUp={() => {
                if (dragging.current) settle();
                dragging.current = null;
                Object.assign(get().controls ?? {}, { enabled: true });
              }}
              onKeyDown={(event) => {
                const step = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
                if (!step) return;
                event.preventDefault();
                event.stopPropagation();
                put(name, value + step * (event.shiftKey ? 0.1 : 0.01));
                settle();
              }}
            />
          </Html>
        );
      })}
    </>
  );
}

const AXES: [SliceAxis, string, string][] = [
  ["x", "x", "Cut it across the x axis"],
  ["y", "y", "Cut it level"],
  ["z", "z", "Cut it across the z axis"],
  ["none", "no slice", "Boundaries only"],
];

/** The tools of the selected field, over the stage. */
export function FieldTools({ field }: { field: Node }) {
  const { axis, at, drawn } = useCut();
  return (
    <div
      data-drawn={drawn}
      role="group"
      aria-label={`Picture of ${String(field.label)}`}
      className="absolute left-3 top-3 flex items-center gap-0.5 rounded bg-panel/85 p-0.5 text-xs"
    >
      <span className="max-w-20 truncate px-1.5 text-soft">{String(field.label)}</span>
      {AXES.map(([value, words, help]) => (
        <button
          key={value}
          type="button"
          title={help}
          aria-pressed={axis === value}
          onClick={() => useCut.setState({ axis: value })}
          className={`rounded px-1.5 py-0.5 ${axis === value ? "bg-ice/15 text-ice" : "text-soft hover:text-text"}`}
        >
          {words}
        </button>
      ))}
      {axis !== "none" && (
        <input
          type="range"
          aria-label="Where it is cut"
          min={0}
          max={1}
          step={0.01}
          value={at}
          onChange={(event) => useCut.setState({ at: Number(event.target.value) })}
          className="mx-1 w-14 accent-[var(--ice)]"
        />
      )}
      <span
        aria-hidden
        className="flex items-center gap-1 pl-1 text-[11px] text-soft"
        title="Colours of the slice: 0 to 1"
      >
        0
        <span
          className="h-2 w-8 rounded-sm"
          style={{ background: "linear-gradient(90deg, rgb(41 46 87), rgb(51 122 140) 50%, rgb(219 242 230))" }}
        />
        1
      </span>
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
  );
}
