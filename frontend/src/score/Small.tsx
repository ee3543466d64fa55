/** A small button with a picture, for what can be done with one line of a list. */

import type { ReactNode } from "react";

export function Small({ label, icon, onClick }: { label: string; icon: ReactNode; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="grid size-6 place-items-center rounded text-soft hover:bg-raised hover:text-ice"
    >
      {icon}
    </button>
  );
}
