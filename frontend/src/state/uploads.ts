/** Files on their way into the library: a name by which each is spoken of, and a way to stop it. */

import { answered, api } from "@/api/client";

/** A name by which an upload is spoken of. */
export const freshTicket = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export async function stopUpload(ticket: string): Promise<void> {
  await answered(api.POST("/api/uploads/{ticket}/stop", { params: { path: { ticket } } }));
}
