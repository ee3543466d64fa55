/** Parts of the page that are fetched when they are wanted. */

import { type ComponentType, lazy, type LazyExoticComponent } from "react";

/** Milliseconds until a server that did not answer is asked again: at first, and at most. */
const AGAIN = [250, 4000] as const;

/** Whether the server answers at all, whatever it says. */
const answers = () =>
  fetch("/", { method: "HEAD", cache: "no-store" }).then(
    () => true,
    () => false,
  );

/**
 * What `load` imports. A server that does not answer is waited for: the page with its work stays. Where it answers and
 * has no such file, it is of another version, and the page of that takes over; what is not saved yet is kept.
 */
export async function fetched<T>(load: () => Promise<T>): Promise<T> {
  let missing = false;
  for (let wait: number = AGAIN[0]; ; wait = Math.min(AGAIN[1], wait * 2)) {
    try {
      return await load();
    } catch (error) {
      if (!(await answers())) missing = false;
      else if (missing) {
        location.reload();
        throw error;
      } else missing = true;
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
}

/** One component of a module, fetched when it is drawn first. */
export function late<Name extends string, Props>(
  load: () => Promise<Record<Name, ComponentType<Props>>>,
  name: Name,
): LazyExoticComponent<ComponentType<Props>> {
  return lazy(() => fetched(load).then((module) => ({ default: module[name] })));
}

/** Fetches something before it is wanted. Where that fails, it is fetched when it is. */
export const ahead = (load: () => Promise<unknown>): void => void load().catch(() => undefined);
