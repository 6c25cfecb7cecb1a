/** What is typed into a field that is saved on leaving: it holds for the value it was typed over.
 *
 * Another value, from the server or by undo, takes its place. An effect that copied each new value into the field would
 * undo what was typed before it had run. */
import { useState } from "react";

export interface Typed {
  text: string;
  over: string;
}

/** What the field shows: what was typed, unless the value has changed since. */
export const shownText = (typed: Typed | null, value: string) => (typed?.over === value ? typed.text : value);

export function useTyped(value: string) {
  const [typed, setTyped] = useState<Typed | null>(null);
  return {
    text: shownText(typed, value),
    type: (text: string) => setTyped({ text, over: value }),
    putBack: () => setTyped(null),
  };
}
