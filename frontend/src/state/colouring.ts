/** Colouring particles by what is read of them, to see it on the stage. */

import { adders, turnTo } from "./adding";
import type { Effect, Json, Node } from "./document";
import { exchange } from "./exchanging";
import type { Session } from "./session";

/** The look that draws particles of these groups (none: everyone) in layers of colour, the topmost of several. */
function lookFor(effect: Effect, who: readonly string[]): number {
  return effect.looks.findLastIndex(
    (look) =>
      "layers" in look &&
      (look.who.length === 0 || who.length === 0 || who.every((group) => (look.who as string[]).includes(group))),
  );
}

/** A ramp over the present values of a quantity, as the topmost colour of these groups; drawn as balls where no look draws them yet. */
export async function colourBy(session: Session, quantity: Node, who: readonly string[]): Promise<void> {
  let index = lookFor(session.state.document, who);
  if (index < 0) {
    const balls = session.state.catalogue.slots.look!.find((kind) => kind.kind === "balls")!;
    adders(session).looks.add(balls);
    index = session.state.document.looks.length - 1;
    if (who.length > 0) session.edit(["looks", index, "who"], [...who] as Json);
  }
  const look = session.state.document.looks[index] as Node;
  const layers = look.layers as Json[];
  await exchange(session, ["looks", index, "layers", layers.length], "ramp", { quantity });
  turnTo(session, "looks", index);
}
