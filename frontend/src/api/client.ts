/** The one place that talks to the server. Errors carry the server's words; a lost connection says so. */

import createClient from "openapi-fetch";
import { readBlock, type Block } from "./block";
import type { components, paths } from "./generated";

export type Schemas = components["schemas"];
export type Catalogue = Schemas["Catalogue"];
export type KindInfo = Schemas["KindOut"];
export type FieldInfo = Schemas["FieldOut"];
export type AttributeInfo = Schemas["AttributeOut"];
export type TrialInfo = Schemas["TrialOut"];
export type EffectSummary = Schemas["Summary"];
export type Advisory = Schemas["AdvisoryOut"];
export type Histogram = Schemas["Histogram"];

export const api = createClient<paths>({ baseUrl: "/" });

/** Asked for in good faith, and not there yet. */
export const NOT_YET = 202;

export class Refused extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }

  /** Whether it stays so: a server that is busy or away is worth asking again, what it refuses is not. */
  get final(): boolean {
    return this.status >= 400 && this.status < 500;
  }
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Unwraps an answer, or throws what the server said in words. */
export async function answered<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new Refused("The server does not answer. Is it still running? What you typed is kept here.", 0);
  }
  // "Not yet" is no error, but no answer either.
  if (!answer.response.ok || answer.response.status === NOT_YET)
    throw new Refused(words(answer.error ?? answer.data) ?? answer.response.statusText, answer.response.status);
  return answer.data as T;
}

function words(error: unknown): string | null {
  const detail = (error as { detail?: unknown } | undefined)?.detail;
  if (typeof detail === "string") return detail;
  if (Array.isArray(detail)) return detail.map((entry: { msg?: string }) => entry.msg).join("; ");
  return null;
}

export async function fetchBlock<Head>(path: string, body?: unknown, signal?: AbortSignal): Promise<Block<Head>> {
  let response: Response;
  try {
    const post = { method: "POST", body: JSON.stringify(body), headers: { "Content-Type": "application/json" } };
    response = await fetch(path, { ...(body === undefined ? {} : post), signal });
  } catch (error) {
    if ((error as Error).name === "AbortError") throw error;
    throw new Refused("The server does not answer. Is it still running?", 0);
  }
  if (!response.ok || response.status === NOT_YET)
    throw new Refused(words(await response.json().catch(() => null)) ?? response.statusText, response.status);
  return readBlock<Head>(await response.arrayBuffer());
}
