/** Lets go of what is chosen on the stage. */

import { useSession } from "@/state/use";

export function LetGo() {
  const session = useSession();
  return (
    <button
      type="button"
      aria-label="Let go of it"
      title="Let go of it (Escape)"
      onClick={() => session.set({ selected: null })}
      className="stage-button w-6"
    >
      ×
    </button>
  );
}
