import type { Schemas } from "../api/client";

type MarginView = Schemas["MarginView"];

/** Two notes as one: what is in either stays. */
export function together(mine: MarginView, other: MarginView): MarginView {
  const texts = mine.text.includes(other.text) ? [mine.text] : [other.text, mine.text];
  return {
    text: texts.filter(Boolean).join("\n\n"),
    set_aside: [...new Set([...other.set_aside, ...mine.set_aside])],
    revision: other.revision,
  };
}
