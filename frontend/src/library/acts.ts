/** What can be done with effects in the library, one or several. */

import { answered, api, Refused, type EffectSummary } from "@/api/client";
import { fetchList } from "./early";

const path = (effect_id: string) => ({ params: { path: { effect_id } } });

export const listed = (deleted: boolean): Promise<EffectSummary[]> =>
  answered(api.GET("/api/effects", { params: { query: { deleted } }, ...(deleted ? {} : { fetch: fetchList }) }));
export const copy = (id: string) => answered(api.POST("/api/effects", { body: { copy_of: id } }));
export const rename = (id: string, name: string) =>
  answered(api.PUT("/api/effects/{effect_id}/name", { ...path(id), body: { name } }));
export const remove = (id: string) => answered(api.DELETE("/api/effects/{effect_id}", path(id)));
export const bringBack = (id: string) => answered(api.POST("/api/effects/{effect_id}/bring-back", path(id)));
export const removeForGood = (id: string) => answered(api.DELETE("/api/effects/{effect_id}/for-good", path(id)));

/** Has the browser fetch one file with these effects, and all that they need. */
export function saveToFile(ids: readonly string[]): void {
  const link = document.createElement("a");
  link.href = `/api/effects/file?${ids.map((id) => `effect=${encodeURIComponent(id)}`).join("&")}`;
  link.download = "";
  link.click();
}

/** Takes in files: those that `saveToFile` made, and bare documents (JSON). Returns the names of what came. */
export async function bringIn(files: readonly File[]): Promise<string[]> {
  const names: string[] = [];
  for (const file of files) {
    if (file.name.toLowerCase().endsWith(".json")) {
      names.push(
        String((await answered(api.POST("/api/effects", { body: { document: await parsed(file) } }))).document.name),
      );
    } else {
      const form = new FormData();
      form.append("file", file);
      const came = await answered(
        api.POST("/api/effects/bring-in", { body: form as never, bodySerializer: (body) => body as never }),
      );
      names.push(...came.map((effect) => effect.name));
    }
  }
  return names;
}

async function parsed(file: File): Promise<Record<string, never>> {
  try {
    return JSON.parse(await file.text());
  } catch {
    throw new Refused(`‘${file.name}’ is not JSON`, 0);
  }
}
