import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { axisOf, nice } from "./marks";

const chart = (over: object = {}): Schemas["MarksChart"] => ({
  kind: "marks",
  id: "a",
  title: "t",
  x: { label: "x", low: null, high: null, categories: [] },
  y: { label: "y", low: 0, high: null, categories: [] },
  marks: [
    { mark: "bars", series: "s", x: "x", y: "y", label: "", colour: "recipe" },
    { mark: "rule", x: null, y: 8, label: "limit" },
  ],
  ...over,
});
const series = { s: { x: [1, 2, 3], y: [2, 4, null] } };

describe("scales of a figure composed of marks", () => {
  it("hold what is drawn, rules too", () => {
    const y = axisOf(chart(), series, "y", 100, 0);
    expect(y.at(0)).toBe(100);
    expect(y.at(8)).toBeGreaterThan(0);
    expect(y.at(8)).toBeLessThan(10);
  });
  it("put categories side by side", () => {
    const x = axisOf(chart({ x: { label: "x", low: null, high: null, categories: ["a", "b"] } }), series, "x", 0, 100);
    expect(x.ticks).toEqual([
      { at: 25, label: "a" },
      { at: 75, label: "b" },
    ]);
  });
  it("stand where nothing is drawn, or one value alone", () => {
    expect(axisOf(chart({ marks: [] }), {}, "x", 0, 100).at(0.5)).toBeCloseTo(50);
    const one = axisOf(chart({ marks: [{ mark: "text", x: 3, y: 1, words: "w" }] }), {}, "x", 0, 100);
    expect(one.at(3)).toBeCloseTo(50);
  });
  it("have round ticks", () => expect(nice(0, 1)).toEqual([0, 0.2, 0.4, 0.6000000000000001, 0.8, 1]));
});
