/** The list of effects is asked for before anything else of the page is set up: the library waits for nothing but that. */

const asked = location.pathname === "/" ? fetch("/api/effects?deleted=false") : null;

/** Asks for the list, or takes the answer to what was asked at the very beginning, which can be read once. */
export async function fetchList(request: Request): Promise<Response> {
  const early = await asked?.catch(() => null);
  return early && !early.bodyUsed ? early : fetch(request);
}
