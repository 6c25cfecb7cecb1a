import { expect, test } from "vitest";
import { limitWords } from "./limits";

test("a limit is said with its ideal, and with who has to show it", () => {
  const limit = { at_least: null, at_most: 0.05, ideal: 0, burden: "reviewer", policy: null } as const;
  expect(limitWords(limit)).toBe("≤ 0.05, ideally 0");
  expect(limitWords({ ...limit, at_least: -0.1, at_most: 0.1 })).toBe("between −0.1 and 0.1, ideally 0");
  expect(limitWords({ ...limit, at_least: 0, at_most: null, ideal: null, burden: "model" })).toBe(
    "≥ 0, to be shown by the model",
  );
});
