/** Small changes to words that come from the registry. */

/** Help without its Markdown emphasis, for places that show plain text. */
export const unmarked = (help: string): string => help.replaceAll("*", "");

export const capitalised = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** What a run waits for, by the names of those before it. */
export function waitsFor(names: readonly string[]): string {
  if (names.length === 0) return "Waits for its turn.";
  const told = names.map((name) => `‘${name}’`);
  return `Waits for its turn after ${told.length === 1 ? told[0]! : `${told.slice(0, -1).join(", ")} and ${told.at(-1)!}`}.`;
}

/** Bytes as people read them: 820 KB, 3.4 MB, 1.2 GB. */
export function bytesTold(bytes: number): string {
  const [size, unit] = bytes >= 1e9 ? [bytes / 1e9, "GB"] : bytes >= 1e6 ? [bytes / 1e6, "MB"] : [bytes / 1e3, "KB"];
  return `${size >= 100 || unit === "KB" ? Math.round(size) : Number(size.toFixed(1))} ${unit}`;
}
