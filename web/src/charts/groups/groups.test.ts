import { describe, expect, it } from "vitest";
import type { Estimate, Schemas } from "../../api/client";
import { few, groupIn, keyOf, ladderOf, levelWords, matrixOf, pairsOf, ranked, wordsOf } from "./combinations";
import { placed, pointsOf, type Point } from "./proxies";
import { scaleOf } from "./scale";
import { rank, worstOf } from "./standing";
import { besideSubmitted, gridOf, keeps, nearest, rateAt } from "./thresholds";

const estimate = (value: number | null, more: Partial<Estimate> = {}) =>
  ({
    measure: "selection_rate",
    value,
    low: null,
    high: null,
    n: 100,
    standing: null,
    note: null,
    ...more,
  }) as Estimate;

describe("how groups stand", () => {
  const estimates = [
    estimate(1, { standing: "within" }),
    estimate(2, { standing: "unsettled" }),
    estimate(3, { standing: "outside" }),
  ];
  it("is the worst of their comparisons", () => {
    expect(worstOf([0, 1], estimates)).toBe("unsettled");
    expect(worstOf([0, 1, 2], estimates)).toBe("outside");
    expect(worstOf([], estimates)).toBeNull();
  });
  it("puts what is not judged behind everything", () => {
    expect(rank("outside")).toBeLessThan(rank("near"));
    expect(rank(null)).toBeGreaterThan(rank("within"));
  });
});

/** Two grounds of two levels each; place 0 is all rows, then sex f, sex m, age old, age young, and their four pairs. */
const estimates = [0.4, 0.39, 0.41, 0.38, 0.42, 0.15, 0.43, 0.41, 0.4].map((value) => estimate(value));
estimates[5] = estimate(0.15, { standing: "outside" });
estimates[8] = estimate(0.4, { note: "too few to judge", few: true, n: 12 });
const group = (
  levels: string[],
  place: number,
  more: Partial<Schemas["CombinedGroup"]> = {},
): Schemas["CombinedGroup"] => ({
  levels,
  n: 100,
  rates: { selection_rate: place },
  judged: { selection_rate: [place] },
  worse: [],
  ...more,
});
const chart: Schemas["CombinationChart"] = {
  kind: "combinations",
  id: "a",
  title: "Groups",
  criteria: { selection_rate: "Selected" },
  whole: group([], 0),
  singles: [
    { attributes: ["sex"], reference: 0, groups: [group(["f"], 1), group(["m"], 2)] },
    { attributes: ["age"], reference: 0, groups: [group(["young"], 4), group(["old"], 3)] },
  ],
  combinations: [
    {
      attributes: ["sex", "age"],
      reference: 0,
      groups: [
        group(["f", "young"], 6),
        group(["m", "young"], 7),
        group(["m", "old"], 8),
        group(["f", "old"], 5, { worse: ["selection_rate"] }),
      ],
    },
  ],
};

describe("combinations", () => {
  const list = ranked(chart, "selection_rate", estimates);
  it("begin with what is worse than either ground alone, and end with what is too small to judge", () => {
    expect(list.map((one) => one.group.levels.join(" "))).toEqual(["f old", "m young", "f young", "m old"]);
    expect(few(list.at(-1)!, "selection_rate", estimates)).toBe(true);
  });
  it("have keys that lead back to the group", () => {
    const key = keyOf(list[0]!);
    expect(key).toBe("sex=f|age=old");
    expect(groupIn(key)).toEqual({ sex: "f", age: "old" });
    expect(groupIn("age=a=b")).toEqual({ age: "a=b" });
    expect(groupIn("")).toBeUndefined();
  });
  it("go from all rows down to the group, by way of its own levels alone", () => {
    const rungs = ladderOf(chart, list[0]!, "selection_rate", estimates);
    expect(rungs.map((rung) => [rung.label, rung.order, rung.estimate?.value])).toEqual([
      ["all rows", 0, 0.4],
      ["f", 1, 0.39],
      ["old", 1, 0.38],
      ["f, old", 2, 0.15],
    ]);
  });
  it("can be crossed, in the order of the levels", () => {
    expect(pairsOf(chart)).toEqual([["sex", "age"]]);
    const { rows, columns, at } = matrixOf(chart, ["sex", "age"]);
    expect([rows, columns]).toEqual([
      ["f", "m"],
      ["old", "young"],
    ]);
    expect(at("m", "old")?.group.rates).toEqual({ selection_rate: 8 });
    expect(at("x", "old")).toBeUndefined();
  });
  it("say of what a bare yes is", () => {
    expect(levelWords("has_car", "yes")).toBe("has car yes");
    expect(levelWords("age", "65+")).toBe("65+");
    expect(wordsOf(list[0]!)).toBe("sex f, age old");
  });
});

describe("the map of proxies", () => {
  const found = [
    estimate(0.5),
    estimate(-0.7, { low: -0.75, high: -0.6 }),
    estimate(0.9),
    estimate(0.2),
    estimate(null),
  ];
  const map: Schemas["ProxyMap"] = {
    kind: "proxies",
    id: "a",
    title: "Map",
    attributes: ["sex", "age", "sex × age"],
    points: [
      { feature: "district", attribute: "sex", association: 0, influence: 3, protected: false },
      { feature: "district", attribute: "age", association: 1, influence: 3, protected: false },
      { feature: "district", attribute: "sex × age", association: 2, influence: 3, protected: false },
      { feature: "empty", attribute: "sex", association: 4, influence: null, protected: false },
    ],
  };
  it("holds every feature once, at the single attribute it goes with most", () => {
    expect(pointsOf(map, null, found)).toMatchObject([
      { feature: "district", attribute: "age", association: 0.7, influence: 0.2 },
    ]);
    expect(pointsOf(map, "sex × age", found)).toMatchObject([{ attribute: "sex × age", association: 0.9 }]);
  });
  it("names dots only where there is room, those far out first", () => {
    const point = (feature: string): Point => ({
      feature,
      attribute: "sex",
      association: 0,
      low: null,
      high: null,
      influence: 0,
      isProtected: false,
      words: "",
    });
    const crowd = Array.from({ length: 40 }, (_, i) => ({ point: point(`feature_${i}`), x: 100, y: 100 }));
    const labels = placed([...crowd, { point: point("far"), x: 500, y: 30 }], 58, 700);
    const named = labels.filter((one) => one.label);
    expect(named.some((one) => one.point.feature === "far")).toBe(true);
    expect(named.length).toBeLessThan(8);
    for (const one of named) expect(one.label!.x).toBeGreaterThanOrEqual(58);
  });
});

describe("a short axis", () => {
  it("has round ticks about what is there", () => {
    const scale = scaleOf([0.31, 0.52], 90, 130);
    expect(scale.ticks.map((tick) => Number(tick.toFixed(2)))).toEqual([0.3, 0.4, 0.5, 0.6]);
    expect(scale.x(0.3)).toBeCloseTo(90);
    expect(scale.x(0.6)).toBeCloseTo(220);
  });
  it("keeps what lies beyond at its ends, and stands one value or none", () => {
    expect(scaleOf([0, 1], 0, 100).x(7)).toBeCloseTo(100);
    expect(scaleOf([0.4, 0.4], 0, 100).ticks.length).toBeGreaterThan(1);
    expect(scaleOf([], 0, 100).ticks.length).toBeGreaterThan(1);
  });
});

describe("rates along the threshold", () => {
  const series = { group: { threshold: [0, 0.5, 1], tp: [10, 6, 0], fp: [30, 6, 0], fn: [0, 4, 10], tn: [0, 24, 30] } };
  it("come from counts alone", () => {
    expect(rateAt(series.group, 1, "selected")).toBeCloseTo(12 / 40);
    expect(rateAt(series.group, 1, "tpr")).toBeCloseTo(0.6);
    expect(rateAt(series.group, 1, "fpr")).toBeCloseTo(0.2);
    expect(rateAt(series.group, 1, "ppv")).toBeCloseTo(0.5);
    expect(rateAt(series.group, 2, "ppv")).toBeNull();
  });
  it("are read at the nearest threshold there is", () => {
    expect(gridOf(series, "group")).toEqual([0, 0.5, 1]);
    expect(nearest([0, 0.5, 1], 0.7)).toBe(1);
    expect(nearest([], 0.7)).toBe(0);
  });
  it("keep a limit by value, or can't be told", () => {
    expect(keeps({ at_least: 0.8, at_most: 1.25 }, 0.79)).toBe(false);
    expect(keeps({ at_least: 0.8, at_most: 1.25 }, 0.8)).toBe(true);
    expect(keeps({ at_most: 0.1 }, null)).toBeNull();
  });
});

describe("a threshold beside the submitted one", () => {
  it("is it, another, or the only one there is", () => {
    expect(besideSubmitted(0.5, 0.5)).toBe(" (as submitted)");
    expect(besideSubmitted(0.4, 0.5)).toBe(" (submitted: 0.500)");
    expect(besideSubmitted(0.4, 0.5, "plan's")).toBe(" (planned: 0.500)");
    expect(besideSubmitted(0.5, 0.5, "plan's")).toBe(" (as planned)");
    expect(besideSubmitted(0.4, null)).toBe(" (none was submitted)");
  });
});
