/** The part of a text where the first of the words stands, cut into what is a word and what is not. */
const BEFORE = 60;
const LONGEST = 220;

export interface Piece {
  text: string;
  found: boolean;
}

export function snippet(text: string, words: readonly string[]): Piece[] {
  const lower = text.toLowerCase();
  const places = words.map((word) => lower.indexOf(word.toLowerCase())).filter((place) => place >= 0);
  const start = places.length === 0 ? 0 : Math.max(0, Math.min(...places) - BEFORE);
  const before = start > 0 ? "… " : "";
  const after = start + LONGEST < text.length ? " …" : "";
  return marked(before + text.slice(start, start + LONGEST) + after, words);
}

/** A text cut into what is one of the words and what is not. */
export function marked(text: string, words: readonly string[]): Piece[] {
  const wanted = words.filter(Boolean).map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, "\\$&"));
  if (wanted.length === 0) return [{ text, found: false }];
  return text
    .split(new RegExp(`(${wanted.join("|")})`, "gi"))
    .map((piece, place) => ({ text: piece, found: place % 2 === 1 }))
    .filter((piece) => piece.text !== "");
}
