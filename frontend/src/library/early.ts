/** The list of effects is asked for before anything else of the page is set up: the library waits for nothing but that. */

const LIST = "/api/effects?deleted=false";
let asked = location.pathname === "/" ? fetch(LIST) : null;

/** Asks for the list, or takes the answer to what was asked at the very beginning, once. */
export function fetchList(request: Request): Promise<Response> {
  const early = asked;
  asked = null;
  return early?.catch(() => fetch(request)) ?? fetch(request);
}
