import { describe, expect, it } from "vitest";
import { markedWith } from "../api/marks";
import { marked, pairOf, pairsOf, suspectsOf, tally, undoing, type Mark } from "./suspects";

const columns = {
  row: [4, 9, 2],
  submitted: [5, 11, 2],
  label: [0, 1, 0],
  suggested: [1, 0, 1],
  probability: [0.9, 0.8, 0.7],
};
const suspects = suspectsOf(["fire", "fall"], columns, [["a"], ["b"], ["c"]]);

describe("suspects", () => {
  it("are called by their classes, or by their numbers", () => {
    expect(suspects[0]).toEqual({ place: 5, row: 5, label: "fire", suggested: "fall", probability: 0.9, cells: ["a"] });
    expect(suspectsOf([], { ...columns, label: [1234.56789, 0, 0] }, [])[0]?.label).toBe("1234.57");
  });
  it("are counted by pairs, the most frequent first", () => {
    expect(pairsOf(suspects)).toEqual([
      ["fire → fall", 2],
      ["fall → fire", 1],
    ]);
    expect(pairOf(suspectsOf(["fire", "fall"], columns, [])[1]!)).toBe("fall → fire");
  });
});

describe("marks", () => {
  const mark = (row: number, verdict: Mark["verdict"]): Mark => ({
    row,
    verdict,
    label: verdict === "corrected" ? "fall" : null,
  });
  it("correct to what is suggested, by the row of the submitted table", () => {
    expect(marked(suspects[1]!, "corrected")).toEqual({ row: 11, verdict: "corrected", label: "fire" });
    expect(marked(suspects[1]!, "wrong").label).toBeNull();
  });
  it("are undone to what each row had", () => {
    expect(undoing([5, 11], [mark(5, "kept"), mark(2, "wrong")])).toEqual({ marks: [mark(5, "kept")], cleared: [11] });
  });
  it("become by a change what the server makes of them, and by its undoing what they were", () => {
    const before = [mark(2, "wrong"), mark(5, "kept")];
    const change = { marks: [mark(11, "corrected"), mark(5, "wrong")], cleared: [2] };
    expect(markedWith(before, change)).toEqual([mark(5, "wrong"), mark(11, "corrected")]);
    expect(markedWith(markedWith(before, change), undoing([2, 5, 11], before))).toEqual(before);
  });
  it("are told by kind", () => {
    expect(tally([mark(1, "wrong"), mark(2, "corrected"), mark(3, "wrong")])).toBe("2 wrong, 1 corrected, 0 kept");
  });
});
