/** A colour typed as hexadecimal digits; what cannot be read stays in the box, with the reason. */

import { useState } from "react";
import { fromHex, hexIn, toHex } from "./numbers";

interface Props {
  value: readonly number[];
  label: string;
  onTake: (color: number[]) => void;
}

export function HexInput({ value, label, onTake }: Props) {
  const present = toHex(value);
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState(false);
  const restore = () => (setText(null), setFault(false));
  const take = (raw: string) => {
    const read = hexIn(raw);
    if (!read) return (setText(raw), setFault(true));
    restore();
    if (read !== present) onTake(fromHex(read));
  };
  return (
    <span>
      <input
        aria-label={label}
        data-hop
        data-typed={text !== null || undefined}
        aria-invalid={fault}
        className="tabular w-20 rounded border border-line bg-panel px-1.5 py-0.5 text-text focus:border-ice focus:outline-none"
        value={text ?? present}
        onChange={(event) => setText(event.target.value)}
        onFocus={(event) => event.target.select()}
        onBlur={() => text !== null && take(text)}
        onKeyDown={(event) => {
          if (event.key === "Enter") take(event.currentTarget.value);
          if (event.key === "Escape") restore();
        }}
      />
      {fault && <span className="ml-2 text-xs text-ember">three or six digits, like #ff8800</span>}
    </span>
  );
}
