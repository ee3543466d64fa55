/** One effect in the library: its picture, its name, and what can be done with it. */

import { Check, Ellipsis } from "lucide-react";
import { Suspense, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { EffectSummary } from "@/api/client";
import { cx } from "@/ui/cx";
import { ahead, late } from "@/ui/late";

/** The first thing to be seen is the effects; what opens on one is fetched when one comes near, and made when it is asked for. */
const menu = () => import("@/ui/Menu");
const Menu = late(menu, "Menu");

interface CardProps {
  effect: EffectSummary;
  chosen: boolean;
  /** Whether some effect is chosen: then a click on a card chooses, too. */
  choosing: boolean;
  naming: boolean;
  onChoose: (range: boolean) => void;
  onNaming: (on: boolean) => void;
  onName: (name: string) => void;
  onCopy: () => void;
  onSave: () => void;
  onDelete: () => void;
}

export function Card({
  effect,
  chosen,
  choosing,
  naming,
  onChoose,
  onNaming,
  onName,
  onCopy,
  onSave,
  onDelete,
}: CardProps) {
  const [wanted, setWanted] = useState(false);
  // Who points at an effect probably opens it: what its stage shows first is there by then.
  const comeNear = () => {
    ahead(menu);
    if (effect.opening) new Image().src = effect.opening;
  };
  const more = (
    <button
      type="button"
      aria-label={`More for ${effect.name}`}
      aria-haspopup="menu"
      onPointerEnter={comeNear}
      onClick={() => setWanted(true)}
      className="rounded bg-panel/80 p-1.5 text-soft hover:text-text"
    >
      <Ellipsis className="size-4" />
    </button>
  );
  return (
    <li
      data-effect={effect.id}
      className={cx(
        "group relative overflow-hidden rounded-lg border bg-stage",
        "[contain-intrinsic-size:auto_290px] [content-visibility:auto]",
        `${chosen ? "border-ice" : "border-line hover:border-ice/50"}`,
      )}
      onKeyDown={(event) => event.key === "F2" && onNaming(true)}
    >
      <Link
        to={`/effects/${effect.id}`}
        state={{ opening: effect.opening }}
        onPointerEnter={comeNear}
        onFocus={comeNear}
        className="block focus-visible:outline-offset-[-2px]"
        onClick={(event) => {
          if (!choosing) return;
          event.preventDefault();
          onChoose(event.shiftKey);
        }}
      >
        <div className="aspect-[8/5] w-full overflow-hidden bg-stage">
          {effect.poster ? (
            <img src={effect.poster} alt="" loading="lazy" className="h-full w-full object-cover" />
          ) : (
            <div className="grid h-full place-items-center text-xs text-soft">The picture comes with the first run</div>
          )}
        </div>
        <div className="border-t border-line bg-panel px-4 py-3">
          <h2 className={`truncate font-medium ${naming ? "invisible" : ""}`} title={effect.name}>
            {effect.name}
          </h2>
          <p className="mt-1 line-clamp-3 text-xs leading-relaxed text-soft">{effect.summary}</p>
        </div>
      </Link>
      {naming && (
        <div className="pointer-events-none absolute inset-x-0 top-0">
          <div className="aspect-[8/5]" />
          <Name
            name={effect.name}
            onDone={(name) => {
              onNaming(false);
              if (name && name !== effect.name) onName(name);
            }}
          />
        </div>
      )}
      <button
        type="button"
        role="checkbox"
        aria-checked={chosen}
        aria-label={`Choose ${effect.name}`}
        onClick={(event) => onChoose(event.shiftKey)}
        className={cx(
          "absolute left-2 top-2 grid size-6 place-items-center rounded border bg-panel/80",
          `${chosen ? "border-ice text-ice" : "border-line text-transparent hover:text-soft"}`,
          `${choosing || chosen ? "" : "opacity-0 focus-visible:opacity-100 group-hover:opacity-100"}`,
        )}
      >
        <Check className="size-4" />
      </button>
      <div className="absolute right-2 top-2">
        {wanted ? (
          <Suspense fallback={more}>
            <Menu
              begun
              trigger={more}
              entries={[
                { label: "Rename", hint: "F2", onSelect: () => onNaming(true) },
                { label: "Make a copy", onSelect: onCopy },
                { label: "Save to a file", onSelect: onSave },
                { label: "Choose several", onSelect: () => onChoose(false) },
                { label: "Delete", danger: true, onSelect: onDelete },
              ]}
            />
          </Suspense>
        ) : (
          more
        )}
      </div>
    </li>
  );
}

function Name({ name, onDone }: { name: string; onDone: (name: string) => void }) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    // The menu gives the focus back to its button first.
    const timer = setTimeout(() => field.current?.select(), 30);
    return () => clearTimeout(timer);
  }, []);
  return (
    <input
      ref={field}
      aria-label={`New name for ${name}`}
      defaultValue={name}
      maxLength={80}
      onBlur={(event) => onDone(event.target.value.trim())}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") event.currentTarget.value = name;
        if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
      }}
      className={cx(
        "pointer-events-auto ml-[11px] mt-[9px] w-[calc(100%-22px)] rounded border border-ice",
        "bg-raised px-1 py-0.5 font-medium !outline-none",
      )}
    />
  );
}
