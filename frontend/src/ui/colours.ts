/** Writing and reading colours. */

import { colord, extend } from "colord";
import names from "colord/plugins/names";

extend([names]);

export function toHex(color: readonly number[]): string {
  return `#${color
    .map((c) =>
      Math.round(Math.min(1, Math.max(0, c)) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}

/** What was typed for a colour, as #rrggbb: three or six digits with or without the sign, rgb(…), or a name of CSS; null where
 * it is none. */
export function hexIn(text: string): string | null {
  const clean = text.trim().toLowerCase();
  const read = colord(/^([0-9a-f]{3}|[0-9a-f]{6})$/.test(clean) ? `#${clean}` : clean);
  return read.isValid() ? read.alpha(1).toHex() : null;
}

export function fromHex(hex: string): number[] {
  return [1, 3, 5].map((k) => Number((parseInt(hex.slice(k, k + 2), 16) / 255).toFixed(4)));
}
