import { expect, test } from "vitest";
import { marked, snippet } from "./snippet";

test("what was looked for is marked, however it is written, and means no pattern", () => {
  expect(marked("The age_band of 2.0 and 210", ["BAND", "2.0"])).toEqual([
    { text: "The age_", found: false },
    { text: "band", found: true },
    { text: " of ", found: false },
    { text: "2.0", found: true },
    { text: " and 210", found: false },
  ]);
  expect(marked("as it is", [])).toEqual([{ text: "as it is", found: false }]);
});

test("a long text is shown from where the first word stands", () => {
  const text = `${"a ".repeat(200)}needle ${"b ".repeat(300)}`;
  const shown = snippet(text, ["needle"])
    .map((piece) => piece.text)
    .join("");
  expect(shown.startsWith("… ")).toBe(true);
  expect(shown.endsWith(" …")).toBe(true);
  expect(shown).toContain("needle");
  expect(shown.length).toBeLessThan(230);
  expect(snippet("short", ["absent"])).toEqual([{ text: "short", found: false }]);
});
