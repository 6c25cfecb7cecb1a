import { describe, expect, it } from "vitest";
import type { Part } from "../../api/report";
import { moved, startingFrom } from "./chosenParts";

const ALL: { name: Part; words: string }[] = [
  { name: "decision", words: "the decision" },
  { name: "findings", words: "findings" },
  { name: "basis", words: "what it rests on" },
];
const namesOf = (parts: { name: Part }[]) => parts.map((one) => one.name);

describe("the parts of a report", () => {
  it("begin with those that are in, in their order", () => {
    const parts = startingFrom(ALL, ["basis", "decision"]);
    expect(namesOf(parts)).toEqual(["basis", "decision", "findings"]);
    expect(parts.map((one) => one.isIn)).toEqual([true, true, false]);
  });

  it("change places with their neighbours, and stay at the ends", () => {
    const parts = startingFrom(ALL, ["decision", "findings", "basis"]);
    expect(namesOf(moved(parts, 2, -1))).toEqual(["decision", "basis", "findings"]);
    expect(namesOf(moved(parts, 0, 1))).toEqual(["findings", "decision", "basis"]);
    expect(moved(parts, 0, -1)).toBe(parts);
    expect(moved(parts, 2, 1)).toBe(parts);
  });
});
