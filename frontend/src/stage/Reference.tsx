/** A picture laid behind the effect, to hold one against the other: shown through, as strongly as one likes. Kept in this browser. */

import { useEffect, useState } from "react";
import { keepFile, keptFile } from "@/state/kept";
import { useSession, useStudio } from "@/state/use";

const nameFor = (effect: string): string => `reference ${effect}`;

export const keepReference = (effect: string, file: Blob | null): Promise<void> => keepFile(nameFor(effect), file);

export function Reference() {
  const session = useSession();
  const revision = useStudio((state) => state.reference);
  const [address, setAddress] = useState<string | null>(null);
  const [strength, setStrength] = useState(0.35);
  useEffect(() => {
    let current = true;
    let made = "";
    keptFile(nameFor(session.id)).then(
      (file) => {
        if (!current) return;
        made = file ? URL.createObjectURL(file) : "";
        setAddress(made || null);
      },
      () => undefined,
    );
    return () => {
      current = false;
      if (made) URL.revokeObjectURL(made);
    };
  }, [session, revision]);
  if (!address) return null;
  const drop = () => void keepReference(session.id, null).then(() => session.set({ reference: Date.now() }));
  return (
    <>
      <img
        src={address}
        alt="Reference picture"
        className="pointer-events-none absolute inset-0 h-full w-full object-contain mix-blend-lighten"
        style={{ opacity: strength }}
      />
      <div className="stage-bar absolute bottom-3 right-[calc(var(--lens)+12px)] z-10 text-xs">
        <label className="flex items-center gap-1.5 px-1.5 text-soft">
          Reference
          <input
            type="range"
            min={0}
            max={1}
            step={0.05}
            value={strength}
            aria-label="Strength of the reference picture"
            onChange={(event) => setStrength(Number(event.target.value))}
            className="w-16 accent-[var(--ice)]"
          />
        </label>
        <button type="button" className="stage-button px-1.5" onClick={drop}>
          take away
        </button>
      </div>
    </>
  );
}
