/** Sentences as declared in the registry: words, {fields}, and [optional parts] that are said only when they differ from the default. */

export type Piece = { words: string } | { field: string } | { optional: Piece[]; fields: string[] };

const parsed = new Map<string, Piece[]>();

export function pieces(template: string): Piece[] {
  const known = parsed.get(template);
  if (known) return known;
  const out: Piece[] = [];
  for (const part of template.split(/(\[[^\]]*\])/)) {
    if (part.startsWith("[")) {
      const inner = flat(part.slice(1, -1));
      out.push({ optional: inner, fields: inner.flatMap((piece) => ("field" in piece ? [piece.field] : [])) });
    } else out.push(...flat(part));
  }
  parsed.set(template, out);
  return out;
}

function flat(text: string): Piece[] {
  return text
    .split(/(\{\w+\})/)
    .filter((part) => part !== "")
    .map((part) => (part.startsWith("{") ? { field: part.slice(1, -1) } : { words: part }));
}
