/** A box that a value is typed over: Enter or leaving takes it, Escape takes it back, what cannot be read stays with the reason. */

import { useState, type InputHTMLAttributes } from "react";

type BoxProps = InputHTMLAttributes<HTMLInputElement> & { "data-hop": true; "data-typed"?: true };

/** `take` keeps what was typed and returns "", or why it cannot be. Gives the present reason, and what makes an input such a box. */
export function useTyped(present: string, take: (raw: string) => string): { fault: string; box: BoxProps } {
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState("");
  const keep = (raw: string) => {
    const why = take(raw);
    setText(why ? raw : null);
    setFault(why);
  };
  const box: BoxProps = {
    "data-hop": true,
    "data-typed": text !== null || undefined,
    "aria-invalid": fault !== "",
    value: text ?? present,
    onChange: (event) => setText(event.target.value),
    onFocus: (event) => event.target.select(),
    onBlur: () => text !== null && keep(text),
    onKeyDown: (event) => {
      if (event.key === "Enter") keep(event.currentTarget.value);
      if (event.key === "Escape") {
        setText(null);
        setFault("");
      }
    },
  };
  return { fault, box };
}
