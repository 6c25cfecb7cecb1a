import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { nearest, placesOf, readingsAt, readingWords, readLines, readMarks } from "./readings";

const chart = {
  kind: "marks",
  id: "use/marks/1",
  title: "What the first rows hold",
  x: { label: "share of rows, highest scores first", categories: [] },
  y: { label: "share of the positive", categories: [] },
  marks: [
    { mark: "band", series: "held", x: "x", low: "low", high: "high", label: "", colour: "test" },
    { mark: "line", series: "held", x: "x", y: "y", label: "positive rows held", colour: "test", dashed: false },
    { mark: "line", series: "ideal", x: "x", y: "y", label: "by chance", colour: "baseline", dashed: true },
    { mark: "rule", x: 0.3, label: "capacity" },
  ],
} as unknown as Schemas["MarksChart"];
const series = {
  held: { x: [0.1, 0.2, 0.3, null], y: [0.3, 0.46, null, 1], low: [0.2, 0.42, 0.5, 1], high: [0.4, 0.5, 0.7, 1] },
  ideal: { x: [0, 1], y: [0, 1] },
};

describe("reading a figure at a place", () => {
  it("goes through the points of the longest series", () => {
    expect(placesOf(readMarks(chart), series)).toEqual([0.1, 0.2, 0.3]);
  });
  it("gives the nearest point with the ends of its band", () => {
    expect(readingsAt(readMarks(chart), series, 0.21)).toEqual([
      { label: "positive rows held", y: 0.46, low: 0.42, high: 0.5 },
    ]);
    expect(readingsAt(readMarks(chart), series, 0.31)).toEqual([]);
  });
  it("says it in words", () => {
    expect(readingWords(chart.x, 0.2, readingsAt(readMarks(chart), series, 0.2))).toBe(
      "share of rows 0.20: positive rows held 0.460 [0.420 to 0.500]",
    );
  });
  it("knows no nearest of nothing", () => {
    expect(nearest([], 1)).toBeNull();
    expect(nearest([null, 4, 2], 2.4)).toBe(2);
  });
  it("reads the lines that stand out, with their ends where they have some", () => {
    const lines = {
      lines: [
        { series: "held", label: "test", colour: "test", faint: false },
        { series: "ideal", label: "one row", colour: "test", faint: true },
      ],
    } as unknown as Schemas["LineChart"];
    const reads = readLines(lines, series);
    expect(reads.map((one) => one.label)).toEqual(["test"]);
    expect(readingsAt(reads, series, 0.1)).toEqual([{ label: "test", y: 0.3, low: 0.2, high: 0.4 }]);
  });
  it("says a place of categories by its name", () => {
    expect(readingWords({ label: "band", categories: ["low", "high"] }, 1, [])).toBe("high: ");
  });
});
