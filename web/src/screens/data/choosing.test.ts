import { describe, expect, it } from "vitest";
import { reached } from "./choosing";

describe("choosing many columns", () => {
  it("takes all between two places, the last one reached last", () => {
    expect(reached(["a", "b", "c", "d"], "b", "d")).toEqual(["b", "c", "d"]);
    expect(reached(["a", "b", "c", "d"], "d", "b")).toEqual(["d", "c", "b"]);
    expect(reached(["a", "b"], "gone", "b")).toEqual(["b"]);
    expect(reached(["a", "b"], "a", "gone")).toEqual([]);
  });
});
