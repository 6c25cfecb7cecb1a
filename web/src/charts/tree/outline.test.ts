import { describe, expect, it } from "vitest";
import { blocksOf } from "./Overview";
import {
  condition,
  firstDepth,
  leavesOf,
  openedAlong,
  outlineOf,
  placesOf,
  rangeOf,
  sentencesOf,
  conditionsTo,
  type Columns,
  type Look,
  type Tree,
} from "./outline";

const number = { words: "pressure", feature: "pressure", kind: "number", levels: [], mark: null } as const;
const level = {
  words: "district = north",
  feature: "district",
  kind: "level",
  levels: [],
  mark: "stands in for ethnic group (0.53)",
} as const;
const chart = {
  kind: "tree",
  title: "The tree",
  trees: ["tree:1"],
  columns: [number, level],
  outcome: "yes",
  classes: ["no", "yes"],
  one_of: 1,
} as unknown as Tree;

/** Root 0 splits on pressure into 1 (splits on district into 3, 4) and 2; node 1 is pruned at 0.1, the root at 0.3. */
const columns: Columns = {
  left: [1, 3, -1, -1, -1],
  right: [2, 4, -1, -1, -1],
  column: [0, 1, -1, -1, -1],
  threshold: [2.5, 0.5, null, null, null],
  strength: [0.3, 0.1, 0, 0, 0],
  training: [10, 6, 4, 3, 3],
  unseen: [5, 3, 2, 3, 0],
  share: [0.5, 0.3, 0.8, 0, 0.6],
  unseen_share: [0.4, 0.3, 0.5, 0.3, null],
};
const look = (more: Partial<Look> = {}): Look => ({
  root: 0,
  depth: 9,
  toggled: new Set(),
  cut: null,
  hideCut: false,
  ...more,
});
const nodes = (more: Partial<Look> = {}) => outlineOf(chart, columns, look(more)).map((row) => row.node);

describe("a tree's outline", () => {
  it("goes down left before right, with the condition of every row", () => {
    const rows = outlineOf(chart, columns, look());
    expect(rows.map((row) => [row.node, row.depth, row.words])).toEqual([
      [0, 0, "all rows"],
      [1, 1, "pressure ≤ 2.5"],
      [3, 2, "district ≠ north"],
      [4, 2, "district = north"],
      [2, 1, "pressure > 2.5"],
    ]);
  });
  it("is folded below its depth, but for what is toggled", () => {
    expect(nodes({ depth: 1 })).toEqual([0, 1, 2]);
    expect(nodes({ depth: 1, toggled: new Set([1]) })).toEqual([0, 1, 3, 4, 2]);
    expect(nodes({ toggled: new Set([0]) })).toEqual([0]);
  });
  it("shows what pruning takes away faintly, or not at all", () => {
    const rows = outlineOf(chart, columns, look({ cut: 0.1 }));
    expect(rows.filter((row) => row.isCut).map((row) => row.node)).toEqual([3, 4]);
    expect(rows.find((row) => row.node === 1)?.endsHere).toBe(true);
    expect(nodes({ cut: 0.1, hideCut: true })).toEqual([0, 1, 2]);
    expect(nodes({ cut: 0.3, hideCut: true })).toEqual([0]);
  });
  it("starts at the node that is looked at, and says all that leads to it", () => {
    const rows = outlineOf(chart, columns, look({ root: 1 }));
    expect(rows.map((row) => row.node)).toEqual([1, 3, 4]);
    expect(rows[0]?.words).toBe("pressure ≤ 2.5");
    expect(conditionsTo(chart, columns, 4)).toEqual(["pressure ≤ 2.5", "district = north"]);
  });
  it("is empty where there is no tree", () => {
    expect(outlineOf(chart, {}, look())).toEqual([]);
    expect(leavesOf({}, null)).toEqual([]);
  });
});

describe("conditions", () => {
  it("say codes by their levels, and gaps as what is there", () => {
    const code = { ...number, words: "zone", kind: "code", levels: ["a", "b", "c", "d", "e", "f"] } as const;
    expect(condition({ ...code, levels: [...code.levels] }, 0.5, true)).toBe("zone in a");
    expect(condition({ ...code, levels: [...code.levels] }, 0.5, false)).toBe("zone in b, c, d and 2 more");
    expect(condition({ ...level, words: "age is missing", levels: [] }, 0.5, true)).toBe("age is there");
    expect(condition({ ...number, levels: [] }, -1.25, false)).toBe("pressure > −1.25");
  });
});

describe("what is read off a tree", () => {
  it("opens what a row passes, wherever it lies, and leaves the rest as it was", () => {
    const within = (node: number) => node === 0;
    expect([...openedAlong(new Set([0, 1, 4]), new Set([0, 2]), within)].sort()).toEqual([1, 2, 4]);
    const as = new Set([2]);
    expect(openedAlong(new Set(), as, within)).toBe(as);
  });
  it("counts leaves as pruned", () => {
    expect(leavesOf(columns, null)).toEqual([3, 4, 2]);
    expect(leavesOf(columns, 0.2)).toEqual([1, 2]);
    expect(leavesOf(columns, 1)).toEqual([0]);
  });
  it("says a sentence a leaf, with training and unseen rows", () => {
    const sentences = sentencesOf(chart, columns, null);
    expect(sentences).toHaveLength(3);
    expect(sentences[0]).toBe(
      "if pressure ≤ 2.5 and district ≠ north: share of yes 0 of 3 training rows, 0.3 of 3 unseen",
    );
    expect(sentences[1]).toContain("no value of 0 unseen");
  });
  it("knows depths, parents, and how far to open", () => {
    expect(placesOf(columns)).toEqual({ depths: [0, 1, 1, 2, 2], parents: [null, 0, 0, 1, 1] });
    expect(firstDepth(columns, 4)).toBe(1);
    expect(firstDepth(columns, 40)).toBe(2);
  });
  it("draws shares from 0 to 1 and means over their range", () => {
    expect(rangeOf(chart, columns)).toEqual([0, 1]);
    expect(rangeOf({ ...chart, classes: [] }, { share: [3, 5], unseen_share: [2, null] })).toEqual([2, 5]);
  });
  it("makes every node as wide as its training rows", () => {
    const blocks = blocksOf(chart, columns);
    const of = (node: number) => blocks.find((block) => block.node === node);
    expect(of(1)?.width).toBeCloseTo(0.6 * (of(0)?.width ?? 0));
    expect((of(3)?.width ?? 0) + (of(4)?.width ?? 0)).toBeCloseTo(of(1)?.width ?? 0);
    expect(of(2)?.apart).toBeCloseTo(0.3);
    expect(of(4)?.apart).toBeNull();
  });
});
