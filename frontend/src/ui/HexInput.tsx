/** A colour typed as hexadecimal digits. */

import { fromHex, hexIn, toHex } from "./colours";
import { useTyped } from "./useTyped";

interface Props {
  value: readonly number[];
  label: string;
  onTake: (color: number[]) => void;
}

export function HexInput({ value, label, onTake }: Props) {
  const present = toHex(value);
  const { fault, box } = useTyped(present, (raw) => {
    const read = hexIn(raw);
    if (!read) return "a colour is wanted: #ff8800, rgb(255, 136, 0) or a name like orange";
    if (read !== present) onTake(fromHex(read));
    return "";
  });
  return (
    <span>
      <input
        {...box}
        aria-label={label}
        className="tabular w-20 rounded border border-line bg-panel px-1.5 py-0.5 text-text focus:border-ice focus:outline-none"
      />
      {fault && <span className="ml-2 text-xs text-ember">{fault}</span>}
    </span>
  );
}
