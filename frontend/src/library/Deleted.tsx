/** Effects that were deleted and can still be brought back. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "@/ui/Button";
import { Dialog } from "@/ui/Dialog";
import { bringBack, listed, removeForGood } from "./acts";

export function Deleted({
  open,
  onOpenChange,
  act,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  act: (work: () => Promise<unknown>) => Promise<void>;
}) {
  // What cannot be taken back is asked for twice.
  const [sure, setSure] = useState("");
  const deleted = useQuery({ queryKey: ["effects", "deleted"], queryFn: () => listed(true), enabled: open });
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Deleted effects"
      description="They are kept for 30 days, with all their versions."
    >
      {deleted.data?.length === 0 && <p className="text-soft">Nothing here any more.</p>}
      <ul className="divide-y divide-line/60">
        {deleted.data?.map((effect) => (
          <li key={effect.id} className="flex items-center gap-3 py-2">
            <span className="h-9 w-14 shrink-0 overflow-hidden rounded bg-stage">
              {effect.poster && <img src={effect.poster} alt="" className="h-full w-full object-cover" />}
            </span>
            <span className="min-w-0 flex-1">
              <span className="block truncate">{effect.name}</span>
              <span className="text-xs text-soft">{daysLeft(effect.gone_in ?? 0)}</span>
            </span>
            <Button className="!px-2 !py-0 text-xs" onClick={() => void act(() => bringBack(effect.id))}>
              Bring back
            </Button>
            <Button
              tone="danger"
              className="w-32 !px-2 !py-0 text-xs"
              onBlur={() => setSure("")}
              onClick={() => (sure === effect.id ? void act(() => removeForGood(effect.id)) : setSure(effect.id))}
            >
              {sure === effect.id ? "Yes, for good" : "Delete for good"}
            </Button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}

function daysLeft(days: number): string {
  const whole = Math.ceil(days);
  return whole <= 1 ? "goes within a day" : `goes in ${whole} days`;
}
