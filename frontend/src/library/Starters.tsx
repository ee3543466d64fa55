/** What a new effect may begin with, each as a small picture: most work begins with the nearest of them, not with clearing away. */

import { useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import { Dialog } from "@/ui/Dialog";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  onBegin: (starter: string) => void;
}

export function Starters({ open, onOpenChange, onBegin }: Props) {
  const starters = useQuery({
    queryKey: ["starters"],
    queryFn: () => answered(api.GET("/api/effects/starters")),
    staleTime: Infinity,
  });
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="New effect" description="What shall it begin with?" wide>
      {starters.isError && <p className="text-ember">{starters.error.message}</p>}
      <ul className="grid grid-cols-3 gap-3">
        {starters.data?.map(({ name, title, about }, index) => (
          <li key={name}>
            <button
              type="button"
              autoFocus={index === 0}
              onClick={() => onBegin(name)}
              className="block w-full overflow-hidden rounded-md border border-line text-left hover:border-ice"
            >
              <img
                src={`/api/effects/starters/${name}.png`}
                alt=""
                className="aspect-[8/5] w-full border-b border-line object-cover"
              />
              <span className="block px-3 pt-2 font-medium">{title}</span>
              <span className="block px-3 pb-2 text-xs text-soft">{about}</span>
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
