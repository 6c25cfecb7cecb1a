/** The parts of a whole report while they are chosen: each in its place, in or left out. */
import type { Part } from "../../api/report";

export interface ChosenPart {
  name: Part;
  words: string;
  isIn: boolean;
}

/** Those that are in, in their order; then those left out, in the order of the house. */
export function startingFrom(all: { name: Part; words: string }[], chosen: Part[]): ChosenPart[] {
  const words = new Map(all.map((one) => [one.name, one.words]));
  const inside = chosen.map((name) => ({ name, words: words.get(name) ?? name, isIn: true }));
  return [...inside, ...all.filter((one) => !chosen.includes(one.name)).map((one) => ({ ...one, isIn: false }))];
}

/** The list with the part at a place moved up (-1) or down (1); as it was at its ends. */
export function moved(parts: ChosenPart[], place: number, by: -1 | 1): ChosenPart[] {
  const part = parts[place];
  const other = parts[place + by];
  if (!part || !other) return parts;
  return parts.map((one, at) => (at === place ? other : at === place + by ? part : one));
}
