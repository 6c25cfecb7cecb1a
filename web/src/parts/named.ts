/** The measures that a text names, so that each name leads to its page of methods. */
import { measures } from "../wording";

/** A stretch of a text; with the measure that it names, or none. */
export interface Stretch {
  text: string;
  measure: string | null;
}

const LETTER = /[\p{L}\p{N}_]/u;
/** All in small letters: begins a sentence with a large one. */
const isPlain = (words: string) => words === words.toLowerCase();

/** The text in stretches: each measure where it is named first, by its longest name. */
export function namedIn(text: string): Stretch[] {
  const known = [...measures()].sort((a, b) => b.words.length - a.words.length);
  const found: { from: number; to: number; measure: string }[] = [];
  const lower = text.toLowerCase();
  for (const { name, words } of known) {
    const at = firstOf(isPlain(words) ? lower : text, words, found);
    if (at !== null) found.push({ from: at, to: at + words.length, measure: name });
  }
  found.sort((a, b) => a.from - b.from);
  const stretches: Stretch[] = [];
  let done = 0;
  for (const { from, to, measure } of found) {
    if (from > done) stretches.push({ text: text.slice(done, from), measure: null });
    stretches.push({ text: text.slice(from, to), measure });
    done = to;
  }
  if (done < text.length) stretches.push({ text: text.slice(done), measure: null });
  return stretches;
}

/** Where the words stand by themselves for the first time, in nothing that was found; null where they don't. */
function firstOf(text: string, words: string, found: readonly { from: number; to: number }[]): number | null {
  for (let at = text.indexOf(words); at >= 0; at = text.indexOf(words, at + 1)) {
    const end = at + words.length;
    const alone = !LETTER.test(text[at - 1] ?? " ") && !LETTER.test(text[end] ?? " ");
    // A name that is told to be somebody's word, in quotes, is no measure of ours.
    const quoted = /['“‘]/.test(text[at - 1] ?? "") && /['”’]/.test(text[end] ?? "");
    if (alone && !quoted && !found.some((one) => at < one.to && end > one.from)) return at;
  }
  return null;
}
