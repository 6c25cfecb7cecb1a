import { renderToString } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it, vi } from "vitest";
import { Matrix } from "./Matrix";
import { colourOf } from "./palette";

vi.mock("echarts/core", () => ({ use: () => undefined, init: () => undefined }));
vi.mock("echarts/charts", () => ({ LineChart: {} }));
vi.mock("echarts/components", () => ({
  AriaComponent: {},
  GridComponent: {},
  MarkLineComponent: {},
  TooltipComponent: {},
}));
vi.mock("echarts/renderers", () => ({ SVGRenderer: {} }));
const { axisAround, axisEnds } = await import("./Curves");

describe("the ends of an axis", () => {
  it("are 0 and 1 for shares, and what is asked for", () => {
    expect(axisEnds([0.2, 0.9])).toEqual([0, 1]);
    expect(axisEnds([])).toEqual([0, 1]);
    expect(axisEnds([0.1, 0.4], 0.5)).toEqual([0, 0.5]);
    expect(axisEnds([0.02, 0.13])).toEqual([0, 0.2]);
  });
  it("hold every value of a number, below 0 too", () => {
    for (const values of [
      [3, 212],
      [-7.5, 4],
      [0, 5.2],
      [1e6, 3e6],
    ]) {
      const [low, high] = axisEnds(values);
      expect(low).toBeLessThanOrEqual(Math.min(...values));
      expect(high).toBeGreaterThanOrEqual(Math.max(...values));
      expect(high - low).toBeLessThan(4 * (Math.max(...values) - Math.min(0, ...values)));
    }
  });
});

describe("a matrix of several classes", () => {
  const html = renderToString(
    <MemoryRouter>
      <Matrix
        title="Test"
        classes={["a", "b", "c", "d", "e"]}
        cells={[
          [1, 2, 3, 4, 0],
          [0, 5, 0, 0, 0],
          [0, 0, 0, 0, 0],
          [1, 1, 1, 1, 1],
          [0, 0, 0, 0.25, 0.75],
        ]}
        baseline={3}
      />
    </MemoryRouter>,
  );
  it("names every class down and across", () => {
    for (const label of ["a", "b", "c", "d", "e"]) expect(html.split(`>${label}<`).length - 1).toBe(2);
  });
  it("gives the share of each row, of weights too, and says where there is no row", () => {
    expect(html).toContain("100.0 % of row");
    expect(html).toContain("75.0 % of row");
    expect(html).toContain("no row");
  });
  it("gives the share of each column, the margins, and the baseline beside what is right", () => {
    expect(html).toContain("62.5 % of column");
    expect(html.replaceAll("<!-- -->", "")).toContain(
      "Right: 36.9 % of 21. Always answering d would be right on 23.8 %.",
    );
  });
});

describe("colours", () => {
  it("tell supplied scores from refitted ones", () => {
    expect(colourOf("supplied:test")).not.toBe(colourOf("test"));
    expect(colourOf("anything else")).toMatch(/^#/);
  });
});

describe("an axis about values far from 0", () => {
  it("lies about what is there, and begins at 0 where the values spread", () => {
    const [low, high] = axisAround([1931, 2018]);
    expect(low).toBeGreaterThan(1900);
    expect(low).toBeLessThanOrEqual(1931);
    expect(high).toBeGreaterThanOrEqual(2018);
    expect(axisAround([0.1, 0.9])).toEqual([0, 1]);
    expect(axisAround([5, 5])).toEqual(axisEnds([5, 5]));
  });
  it("has ends that are written as short as they are", () => {
    for (const values of [
      [0.61, 1],
      [0.703, 0.711],
      [-0.35, -0.31],
      [1.23e6, 1.31e6],
    ])
      for (const end of axisAround(values)) expect(String(end).length).toBeLessThan(9);
  });
});
