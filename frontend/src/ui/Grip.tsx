/** The edge of a panel, dragged or moved with the arrow keys to give it another width. */

interface Props {
  label: string;
  width: number;
  least: number;
  most: number;
  /** On which side of the panel it lies. */
  side: "left" | "right";
  onWidth: (width: number) => void;
}

const STEP = 16;

export function Grip({ label, width, least, most, side, onWidth }: Props) {
  const sign = side === "right" ? 1 : -1;
  const put = (next: number) => onWidth(Math.round(Math.max(least, Math.min(most, next))));
  return (
    <div
      role="separator"
      tabIndex={0}
      aria-label={label}
      aria-orientation="vertical"
      aria-valuenow={width}
      aria-valuemin={least}
      aria-valuemax={Math.round(most)}
      className={`group/grip absolute inset-y-0 z-20 w-2 cursor-col-resize touch-none ${side === "right" ? "-right-1" : "-left-1"}`}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => event.buttons === 1 && put(width + sign * event.movementX)}
      onKeyDown={(event) => {
        const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (!way) return;
        event.preventDefault();
        put(width + sign * way * STEP);
      }}
    >
      <div className="mx-auto h-full w-px bg-line group-hover/grip:bg-ice" />
    </div>
  );
}
