import { describe, expect, it, vi } from "vitest";
import type { Estimate, Schemas } from "../api/client";
import { csvOf, fileName } from "./export";
import { addressOf, behindIn, type Behind } from "./rowsBehind";

vi.mock("./Curves", () => ({ default: () => null }));
const { behindPoint, numbersOf } = await import("./LineFigure");
const { costAt, leastCost } = await import("./ThresholdExplorer");
const { numbersOf: stripNumbers } = await import("./IntervalStrip");

describe("a chart's numbers as a file", () => {
  it("quotes what must be quoted and leaves gaps empty", () => {
    expect(
      csvOf({
        columns: ["a", "b,c"],
        rows: [
          [1.5, 'say "so"'],
          [null, "two\nlines"],
        ],
      }),
    ).toBe('a,"b,c"\r\n1.5,"say ""so"""\r\n,"two\nlines"\r\n');
  });
  it("never gives a spreadsheet a formula", () => {
    const text = csvOf({ columns: ["=cmd()"], rows: [["=1+1"], ["@x"], ["+x"], ["-none"], ["\tx"], ["-12.5"], [-3]] });
    expect(text.split("\r\n")).toEqual(["'=cmd()", "'=1+1", "'@x", "'+x", "'-none", "'\tx", "-12.5", "-3", ""]);
  });
  it("has a name that any file system takes", () => {
    expect(fileName("ROC curve: test / training", "svg")).toBe("roc-curve-test-training.svg");
    expect(fileName("…", "csv")).toBe("chart.csv");
  });
});

describe("the address of rows", () => {
  const behind: Behind = {
    model: "recipe",
    part: "test",
    outcome: "no",
    decided: "yes",
    threshold: 0.30000000000000004,
    score_from: null,
    score_to: 0,
  };
  it("says all that was asked for, to the last digit", () => {
    expect(behindIn(addressOf(behind))).toEqual(behind);
  });
  it("asks for nothing without a model and a part, and for no number that is none", () => {
    expect(behindIn(new URLSearchParams("model=recipe"))).toBeNull();
    expect(behindIn(new URLSearchParams("model=recipe&part=test&threshold=high"))?.threshold).toBeNull();
  });
});

const rows = { model: "recipe", part: "test", threshold: null, outcome: "positive" };
const line = (name: string, more: Partial<Schemas["Line"]> = {}): Schemas["Line"] => ({
  series: name,
  label: name,
  colour: "test",
  rows: null,
  faint: false,
  ...more,
});
const chart = (...lines: Schemas["Line"][]) =>
  ({ kind: "lines", title: "Scores", x: "score", y: "share", diagonal: false, lines }) as Schemas["LineChart"];

describe("a line chart's numbers", () => {
  const series = {
    a: { x: [0.1, 0.2], y: [0.5, null], n: [4, 0], from: [0.05, null], to: [0.14, null] },
    b: { x: [1], y: [2] },
  };
  it("give every column, one line under the other", () => {
    const found = numbersOf(chart(line("a"), line("b")), series, () => null);
    expect(found.columns).toEqual(["line", "score", "share", "n", "from", "to"]);
    expect(found.rows).toEqual([
      ["a", 0.1, 0.5, 4, 0.05, 0.14],
      ["a", 0.2, null, 0, null, null],
      ["b", 1, 2, null, null, null],
    ]);
    expect(found.links).toBeUndefined();
  });
  it("lead from a bin to its rows, from an empty bin and from a curve to none", () => {
    expect(behindPoint(line("a", { rows }), series.a, 0)).toMatchObject({
      outcome: "positive",
      score_from: 0.05,
      score_to: 0.14,
    });
    expect(behindPoint(line("a", { rows }), series.a, 1)).toBeNull();
    expect(behindPoint(line("b"), series.b, 0)).toBeNull();
    expect(numbersOf(chart(line("a", { rows })), series, (_, at) => (at === 0 ? "/rows" : null)).links).toEqual([
      "/rows",
      null,
    ]);
  });
});

describe("a strip's numbers", () => {
  it("name the value, the ends of the whisker and n", () => {
    const estimates = [
      { measure: "auc", value: 0.7, low: 0.6, high: 0.8, n: 90 },
      { measure: "auc", value: null, n: 3 },
    ] as Estimate[];
    const strip = {
      kind: "strip",
      id: "a",
      title: "t",
      unit: "",
      groups: [
        {
          label: "AUC",
          claim: null,
          gap: null,
          brackets: [],
          rows: [
            { estimate: 0, label: "test", colour: "test" },
            { estimate: 1, label: "validation", colour: "validation" },
          ],
        },
      ],
    } as Schemas["StripChart"];
    expect(stripNumbers(strip, estimates).rows).toEqual([
      ["AUC", "test", 0.7, 0.6, 0.8, 90],
      ["AUC", "validation", null, null, null, 3],
    ]);
  });
});

describe("the threshold of least cost", () => {
  const counts = { tp: [10, 8, 4, 0], fp: [30, 9, 2, 0], fn: [0, 2, 6, 10], tn: [0, 21, 28, 30] };
  const thresholds = [0, 0.3, 0.6, 1];
  it("weighs misses against false alarms", () => {
    expect(costAt(counts, 1, 5)).toBe(19);
    expect(leastCost(counts, thresholds, 1, 0.5)).toBe(2);
    expect(leastCost(counts, thresholds, 5, 0.5)).toBe(1);
    expect(leastCost(counts, thresholds, 100, 0.5)).toBe(0);
  });
  it("stays near the submitted one where several cost the same", () => {
    const flat = { tp: [1, 1, 1, 1], fp: [2, 2, 2, 2], fn: [0, 0, 0, 0], tn: [1, 1, 1, 1] };
    expect(leastCost(flat, thresholds, 3, 0.7)).toBe(2);
    expect(leastCost(flat, thresholds, 3, 0.05)).toBe(0);
    expect(leastCost(flat, thresholds, 3, null)).toBe(0);
  });
});
