/** Small changes to words that come from the registry. */

/** Help without its Markdown emphasis, for places that show plain text. */
export const unmarked = (help: string): string => help.replaceAll("*", "");

export const capitalised = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
