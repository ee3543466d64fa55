/** Importing a mesh from a file: read by the server, then placed as a shape. */

import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api } from "@/api/client";
import { kindOf } from "@/state/document";
import { capitalised } from "@/ui/words";
import { adders } from "./adding";
import { useScore } from "./context";

export function MeshImport() {
  const { catalogue } = useScore();
  const [message, setMessage] = useState("");
  const [notes, setNotes] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const client = useQueryClient();
  const take = async (file: File) => {
    setBusy(true);
    setMessage("");
    setNotes([]);
    const form = new FormData();
    form.append("file", file);
    try {
      const asset = await answered(api.POST("/api/assets", { body: form as never, bodySerializer: (body) => body as never }));
      await client.invalidateQueries({ queryKey: ["meshes"] });
      const name = file.name.replace(/\.\w+$/, "").replaceAll(/[-_]+/g, " ");
      adders(catalogue).shapes.add(kindOf(catalogue, "shape", "mesh"), { asset: asset.id, label: capitalised(name) });
      setNotes(asset.notes ?? []);
    } catch (error) {
      setMessage((error as Error).message);
    } finally {
      setBusy(false);
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
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void take(file);
        }}
      />
      {busy && <p className="py-2 pl-6 text-xs text-soft">Reading the mesh…</p>}
      {notes.length > 0 && (
        <p role="status" className="border-b border-line/60 py-2 pl-6 pr-3 text-xs text-soft">
          Of the imported mesh: {notes.join(" ")}{" "}
          <button type="button" className="underline" onClick={() => setNotes([])}>
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
