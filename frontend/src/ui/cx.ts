/** Class names in pieces, joined. */
export const cx = (...pieces: (string | false | undefined)[]): string => pieces.filter(Boolean).join(" ");
