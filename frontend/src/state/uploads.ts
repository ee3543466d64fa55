/** Files on their way into the library: what the server says it is at, and a way to stop it. */

import { create } from "zustand";
import { answered, api } from "@/api/client";

/** What is being done with each upload, by its ticket. */
const useStages = create<{ stages: Record<string, string> }>()(() => ({ stages: {} }));

export const useStage = (ticket: string): string => useStages((state) => state.stages[ticket] ?? "");

export function hearUpload(ticket: string, stage: string): void {
  useStages.setState({ stages: { ...useStages.getState().stages, [ticket]: stage } });
}

/** A name by which an upload is spoken of. */
export const freshTicket = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export async function stopUpload(ticket: string): Promise<void> {
  await answered(api.POST("/api/uploads/{ticket}/stop", { params: { path: { ticket } } }));
}
