/** Sentences as declared in the registry: words, {fields}, and [optional parts] that are said only when they differ from the default. */

export type Piece = { words: string } | { field: string } | { optional: Piece[]; fields: string[] };

const parsed = new Map<string, Piece[]>();

export function pieces(template: string): Piece[] {
  const known = parsed.get(template);
  if (known) return known;
  const [out] = read(template, 0);
  parsed.set(template, out);
  return out;
}

/** Reads up to the bracket that ends an optional part, or the end; optional parts may hold further ones. */
function read(text: string, from: number): [Piece[], number] {
  const out: Piece[] = [];
  let at = from;
  let words = "";
  const flush = () => {
    if (words) out.push({ words });
    words = "";
  };
  while (at < text.length && text[at] !== "]") {
    if (text[at] === "{") {
      flush();
      const end = text.indexOf("}", at);
      out.push({ field: text.slice(at + 1, end) });
      at = end + 1;
    } else if (text[at] === "[") {
      flush();
      const [inner, end] = read(text, at + 1);
      out.push({ optional: inner, fields: inner.flatMap((piece) => ("field" in piece ? [piece.field] : [])) });
      at = end + 1;
    } else words += text[at++];
  }
  flush();
  return [out, at];
}

/** Words without the blanks and commas around them: what leads, the words, what trails. */
export function coreOf(text: string): [string, string, string] {
  const lead = /^[\s,;:]*/.exec(text)?.[0] ?? "";
  const tail = /[\s,;:]*$/.exec(text.slice(lead.length))?.[0] ?? "";
  return [lead, text.slice(lead.length, text.length - tail.length), tail];
}
