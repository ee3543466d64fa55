/** Which picture set a look draws: those that ship, those of the library, and a way to bring in more. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { FieldInfo } from "@/api/client";
import { answered, api } from "@/api/client";
import type { Path } from "@/state/document";
import { Button, Popover } from "@/ui/controls";
import { EditorHead } from "./EditorHead";
import { useSession } from "@/state/use";
import { freshTicket, stopUpload } from "@/state/uploads";
import { cx } from "@/ui/cx";

interface PictureSet {
  id: string;
  name: string;
  columns: number;
  rows: number;
  count: number;
  width: number;
  height: number;
}

/** Lines between the cells of a sheet. */
const LINES = ["right", "bottom"]
  .map((way) => `linear-gradient(to ${way}, var(--ice) 1px, transparent 1px)`)
  .join(", ");

const usePictures = () => useQuery({ queryKey: ["pictures"], queryFn: () => answered(api.GET("/api/pictures")) });

export function PictureChip({ field, value, path }: { field: FieldInfo; value: string; path: Path }) {
  const session = useSession();
  const sets = usePictures();
  const present = sets.data?.find((set) => set.id === value);
  return (
    <Popover
      label={field.label}
      wide
      trigger={
        <button type="button" className={`chip ${sets.data && !present ? "text-ember" : ""}`}>
          {present ? present.name.toLowerCase() : sets.data ? "a picture that is missing" : "…"}
        </button>
      }
    >
      <EditorHead
        label={field.label}
        help={field.help}
        changed={value !== field.default}
        onReset={() => session.edit(path, field.default as string)}
      />
      <Bring onDone={(id) => session.edit(path, id)} />
      <div className="grid grid-cols-3 gap-2">
        {sets.data?.map((set) => (
          <button
            key={set.id}
            type="button"
            aria-pressed={set.id === value}
            onClick={() => session.edit(path, set.id)}
            className={cx(
              "rounded border p-1 text-left text-xs",
              `${set.id === value ? "border-ice text-ice" : "border-line text-soft hover:text-text"}`,
            )}
          >
            <Thumb set={set} />
            <span className="block truncate">{set.name}</span>
            <span className="tabular block text-xs text-soft">
              {set.count === 1 ? "one drawing" : `${set.count} drawings`}
            </span>
          </button>
        ))}
      </div>
    </Popover>
  );
}

/** Up to four drawings of a set, on the ground of the stage. */
function Thumb({ set }: { set: PictureSet }) {
  const number = Math.min(set.count, 4);
  const wide = number > 1 ? 2 : 1;
  const cell = 96 / wide;
  const ratio = set.width / set.columns / (set.height / set.rows);
  const [w, h] = ratio > 1 ? [cell, cell / ratio] : [cell * ratio, cell];
  return (
    <span
      className="mb-1 grid place-items-center overflow-hidden rounded bg-stage"
      style={{ height: 96, gridTemplateColumns: `repeat(${wide}, 1fr)` }}
    >
      {Array.from({ length: number }, (_, index) => (
        <span
          key={index}
          style={{
            width: w,
            height: number > 2 ? Math.min(h, 48) : h,
            backgroundImage: `url(/api/pictures/${set.id}.png)`,
            backgroundSize: `${set.columns * w}px ${set.rows * h}px`,
            backgroundPosition: `${-(index % set.columns) * w}px ${-Math.floor(index / set.columns) * h}px`,
          }}
        />
      ))}
    </span>
  );
}

/** Reading PNGs: one is cut into columns and rows, several become a sequence. */
function Bring({ onDone }: { onDone: (id: string) => void }) {
  const client = useQueryClient();
  const [files, setFiles] = useState<File[]>([]);
  const [columns, setColumns] = useState(1);
  const [rows, setRows] = useState(1);
  const [state, setState] = useState<{ busy: string; problem: string }>({ busy: "", problem: "" });
  const [preview, setPreview] = useState("");
  const choose = (list: FileList | null) => {
    if (preview) URL.revokeObjectURL(preview);
    const chosen = [...(list ?? [])];
    setFiles(chosen);
    setState({ busy: "", problem: "" });
    setPreview(chosen.length === 1 ? URL.createObjectURL(chosen[0]!) : "");
    setColumns(1);
    setRows(1);
  };
  const send = async () => {
    const ticket = freshTicket();
    setState({ busy: ticket, problem: "" });
    const form = new FormData();
    form.append("ticket", ticket);
    files.forEach((file) => form.append("files", file));
    form.append("columns", String(columns));
    form.append("rows", String(rows));
    try {
      const made = await answered(
        api.POST("/api/pictures", { body: form as never, bodySerializer: (body) => body as never }),
      );
      await client.invalidateQueries({ queryKey: ["pictures"] });
      choose(null);
      onDone(made.id);
    } catch (error) {
      setState({ busy: "", problem: (error as Error).message });
    }
  };
  const cells = [
    ["Columns", columns, setColumns],
    ["Rows", rows, setRows],
  ] as const;
  return (
    <div className="mb-3 border-b border-line pb-3">
      <label className="flex cursor-pointer items-center gap-2 text-xs text-soft">
        <span className="rounded border border-line px-2 py-1 text-text hover:bg-panel">Bring in PNGs…</span>
        one sheet, or several as a sequence
        <input
          type="file"
          accept="image/png"
          multiple
          aria-label="PNG files"
          className="sr-only"
          onChange={(event) => choose(event.target.files)}
        />
      </label>
      {files.length > 0 && (
        <div className="mt-2 space-y-2 text-xs">
          {files.length > 1 ? (
            <p>{files.length} files, in the order of the numbers in their names.</p>
          ) : (
            <div className="flex items-start gap-3">
              <span className="relative inline-block max-w-40 overflow-hidden rounded border border-line bg-stage">
                <img src={preview} alt="The chosen sheet" className="block max-h-32" />
                <span
                  className="pointer-events-none absolute inset-0"
                  style={{
                    backgroundImage: LINES,
                    backgroundSize: `${100 / columns}% ${100 / rows}%`,
                    opacity: 0.6,
                  }}
                />
              </span>
              <div className="space-y-1">
                <p className="truncate text-soft">{files[0]!.name}</p>
                {cells.map(([label, number, set]) => (
                  <label key={label} className="flex items-center justify-between gap-2">
                    {label}
                    <input
                      type="number"
                      min={1}
                      max={64}
                      value={number}
                      onChange={(event) => set(Math.max(1, Math.min(64, Math.round(Number(event.target.value) || 1))))}
                      className={cx(
                        "tabular w-14 rounded border border-line bg-panel px-1 py-0.5 text-right focus:border-ice",
                        "focus:outline-none",
                      )}
                    />
                  </label>
                ))}
              </div>
            </div>
          )}
          {state.problem && (
            <p role="alert" className="text-ember">
              {state.problem}
            </p>
          )}
          <div className="flex gap-2">
            <Button tone="main" disabled={state.busy !== ""} onClick={() => void send()}>
              {state.busy ? "Reading…" : "Use these"}
            </Button>
            <Button onClick={() => (state.busy ? void stopUpload(state.busy) : choose(null))}>
              {state.busy ? "Stop" : "Leave it"}
            </Button>
          </div>
        </div>
      )}
    </div>
  );
}
