/** Importing a mesh from a file: read by the server, then placed as a shape, and made smaller if it was modelled in another unit. */

import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api } from "@/api/client";
import { kindOf, type Node } from "@/state/document";
import { Button } from "@/ui/controls";
import { capitalised } from "@/ui/words";
import { useScore } from "./context";
import { whatThen } from "./meshFile";
import { useSession, useStudio, useStage } from "@/state/use";
import { adders } from "@/state/adding";
import { freshTicket, stopUpload } from "@/state/uploads";

/** Metres beyond which a mesh was probably modelled in another unit, and what it may have been. */
const HUGE = 100;
const TINY = 0.005;
const UNITS = {
  large: [
    ["Millimetres", 0.001],
    ["Centimetres", 0.01],
  ],
  small: [["Metres, saved as millimetres", 1000]],
} as const;

interface Read {
  label: string;
  shape: string;
  size: number;
  notes: string[];
}

export function MeshImport() {
  const session = useSession();
  const { catalogue } = useScore();
  const [message, setMessage] = useState("");
  const [read, setRead] = useState<Read | null>(null);
  const [reading, setReading] = useState<{ ticket: string; name: string } | null>(null);
  const client = useQueryClient();
  const take = async (file: File) => {
    const then = whatThen();
    const ticket = freshTicket();
    setReading({ ticket, name: file.name });
    setMessage("");
    setRead(null);
    const form = new FormData();
    form.append("file", file);
    form.append("ticket", ticket);
    try {
      const asset = await answered(
        api.POST("/api/assets", { body: form as never, bodySerializer: (body) => body as never }),
      );
      await client.invalidateQueries({ queryKey: ["meshes"] });
      const label = capitalised(file.name.replace(/\.\w+$/, "").replaceAll(/[-_]+/g, " "));
      if (then) then(asset.id, label);
      else adders(session).shapes.add(kindOf(catalogue, "shape", "mesh"), { asset: asset.id, label });
      const shape = String(
        session.state.document?.shapes.findLast((item) => (item as Node).asset === asset.id)?.id ?? "",
      );
      setRead({ label, shape, size: asset.size ?? 1, notes: asset.notes ?? [] });
    } catch (error) {
      setMessage((error as Error).message);
    } finally {
      setReading(null);
    }
  };
  return (
    <>
      <input
        id="mesh-file"
        type="file"
        aria-label="Mesh file"
        accept=".obj,.ply,.stl,.glb,.usd,.usda,.usdc,.usdz"
        className="hidden"
        ref={(input) => {
          // Nothing was chosen: what was asked for is not waited for.
          const forget = () => void whatThen();
          input?.addEventListener("cancel", forget);
          return () => input?.removeEventListener("cancel", forget);
        }}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void take(file);
        }}
      />
      {reading && <Reading {...reading} />}
      {read && <Size read={read} onDone={(size) => setRead(read.notes.length ? { ...read, size } : null)} />}
      {read && read.notes.length > 0 && (
        <p role="status" className="border-b border-line/60 py-2 pl-6 pr-3 text-xs text-soft">
          Of the imported mesh: {read.notes.join(" ")}{" "}
          <button type="button" className="underline" onClick={() => setRead(null)}>
            understood
          </button>
        </p>
      )}
      {message && (
        <p role="alert" className="border-b border-line/60 py-2 pl-6 pr-3 text-xs text-ember">
          {message}{" "}
          <button type="button" className="underline" onClick={() => setMessage("")}>
            dismiss
          </button>
        </p>
      )}
    </>
  );
}

function Reading({ ticket, name }: { ticket: string; name: string }) {
  const stage = useStage(ticket);
  return (
    <p role="status" className="flex items-baseline gap-2 border-b border-line/60 py-2 pl-6 pr-3 text-xs text-soft">
      <span className="min-w-0 truncate">
        ‘{name}’: {stage || "on its way"}…
      </span>
      <button type="button" className="underline" onClick={() => void stopUpload(ticket)}>
        stop
      </button>
    </p>
  );
}

/** Asks of a mesh of unlikely size in which unit it was modelled; one click sets the shape's scale. */
function Size({ read, onDone }: { read: Read; onDone: (size: number) => void }) {
  const session = useSession();
  const odd = read.size > HUGE ? "large" : read.size < TINY ? "small" : null;
  const place = useStudio((state) => state.document?.shapes.findIndex((shape) => shape.id === read.shape) ?? -1);
  if (!odd || place < 0) return null;
  const scaled = (factor: number) => {
    session.edit(["shapes", place, "scale"], factor);
    onDone(read.size * factor);
  };
  return (
    <div role="status" className="border-b border-line/60 py-2 pl-6 pr-3 text-xs text-soft">
      ‘{read.label}’ is {metres(read.size)} across. Was it modelled in another unit?
      <span className="mt-1.5 flex flex-wrap gap-1.5">
        {UNITS[odd].map(([unit, factor]) => (
          <Button key={unit} className="!px-1.5 !py-0" onClick={() => scaled(factor)}>
            {unit}: make it {metres(read.size * factor)}
          </Button>
        ))}
        <Button className="!px-1.5 !py-0" onClick={() => onDone(1)}>
          Leave it
        </Button>
      </span>
    </div>
  );
}

const metres = (size: number): string =>
  size >= 1
    ? `${Number(size.toPrecision(3)).toLocaleString("en-GB")} m`
    : size >= 0.01
      ? `${Number((size * 100).toPrecision(3))} cm`
      : `${Number((size * 1000).toPrecision(3))} mm`;
