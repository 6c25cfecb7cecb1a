import { describe, expect, it } from "vitest";
import { inOrder, strongest } from "./pairs";

const NAMES = ["a", "b", "c", "y"];
const STRENGTHS = [
  [1, 0.1, -0.9, 0.2],
  [0.1, 1, null, 0.6],
  [-0.9, null, 1, 0.05],
  [0.2, 0.6, 0.05, 1],
];
const MEASURES = NAMES.map(() => NAMES.map(() => "r"));

describe("all pairs", () => {
  it("begin at the target and go to the nearest each time", () => {
    expect(inOrder(NAMES, STRENGTHS, "y").map((i) => NAMES[i])).toEqual(["y", "b", "a", "c"]);
    expect(inOrder(["a"], [[1]], "gone")).toEqual([0]);
  });
  it("are listed by strength, whatever the sign, without those that can't be computed", () => {
    const found = strongest(NAMES, STRENGTHS, MEASURES, 3);
    expect(found.map((pair) => [pair.one, pair.other, pair.value])).toEqual([
      ["a", "c", -0.9],
      ["b", "y", 0.6],
      ["a", "y", 0.2],
    ]);
    expect(strongest(NAMES, STRENGTHS, MEASURES, 99)).toHaveLength(5);
  });
});
