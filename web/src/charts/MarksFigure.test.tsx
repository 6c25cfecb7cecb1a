/** A figure composed of marks, as it is drawn: what is not there is not drawn. */
import { ThemeProvider } from "@mui/material/styles";
import { renderToString } from "react-dom/server";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { theme } from "../theme";
import { rowsOf } from "./marks";
import { MarksFigure } from "./MarksFigure";

type Mark = Schemas["MarksChart"]["marks"][number];

const series = {
  turned: {
    x: [0, 1, 2, 3],
    y: [0.2, 0.4, null, 0.8],
    low: [0.1, 0.3, null, 0.7],
    high: [0.3, 0.5, null, 0.9],
    value: [4, null, -2, 1],
  },
  limit: { x: [0, 3], y: [0.5, 0.5] },
};
const points: Mark = {
  mark: "points",
  series: "turned",
  x: "x",
  y: "y",
  low: null,
  high: null,
  label: "",
  colour: "recipe",
};
const line: Extract<Mark, { mark: "line" }> = {
  mark: "line",
  series: "turned",
  x: "x",
  y: "y",
  low: null,
  high: null,
  label: "turned",
  colour: "recipe",
  dashed: false,
};

const drawn = (marks: Mark[], over: Partial<Schemas["MarksChart"]> = {}, asTable = false) =>
  renderToString(
    <ThemeProvider theme={theme}>
      <MarksFigure
        chart={{
          kind: "marks",
          id: "a",
          title: "Share turned",
          x: { label: "decimals", low: null, high: null, categories: [] },
          y: { label: "share", low: 0, high: 1, categories: [] },
          marks,
          ...over,
        }}
        series={series}
        asTable={asTable}
      />
    </ThemeProvider>,
  ).replaceAll("<!-- -->", "");

const count = (html: string, part: RegExp) => [...html.matchAll(part)].length;

describe("rows of numbers", () => {
  it("come in runs that a gap parts", () => {
    expect(rowsOf(series.turned, ["x", "y"])).toEqual([
      [
        [0, 0.2],
        [1, 0.4],
      ],
      [[3, 0.8]],
    ]);
  });
  it("are none where a column is not there", () => {
    expect(rowsOf(series.turned, ["x", "nothing"])).toEqual([]);
    expect(rowsOf({}, ["x", "y"])).toEqual([]);
  });
});

describe("a figure of marks", () => {
  it("has a title, the names of its axes and a text for a screen reader", () => {
    const html = drawn([points]);
    expect(html).toContain('aria-label="Share turned"');
    expect(html).toContain("decimals");
    expect(html).toContain("share");
  });
  it("draws no point, whisker, bar or cell where there is no value", () => {
    expect(count(drawn([points]), /<circle /g)).toBe(3);
    const whiskers = drawn([{ ...points, low: "low", high: "high" }]);
    expect(count(whiskers, /stroke-width="1.4"/g)).toBe(3);
    const bars = drawn([{ mark: "bars", series: "turned", x: "x", y: "y", label: "", colour: "recipe" }]);
    expect(count(bars, /<rect /g)).toBe(3);
    const cells = drawn([{ mark: "cells", series: "turned", x: "x", y: "x", value: "value" }]);
    expect(count(cells, /<rect /g)).toBe(3);
  });
  it("breaks a line and a band at a gap instead of running them through 0", () => {
    const lines = [...drawn([line]).matchAll(/d="(M[^"]*)" fill="none" stroke="[^"]*" stroke-width="1.6"/g)];
    expect(lines.map((found) => found[1]!.split("L").length)).toEqual([2, 1]);
    const band: Mark = {
      mark: "band",
      series: "turned",
      x: "x",
      low: "low",
      high: "high",
      label: "",
      colour: "recipe",
    };
    expect(count(drawn([band]), /opacity="0.18"/g)).toBe(2);
  });
  it("dashes what is dashed, and rules", () => {
    expect(drawn([{ ...line, dashed: true }])).toContain('stroke-dasharray="6 4"');
    expect(drawn([line])).not.toContain("stroke-dasharray");
    expect(drawn([points, { mark: "rule", x: null, y: 0.5, label: "limit" }])).toContain('stroke-dasharray="5 3"');
  });
  it("says the label of a rule and the words in it", () => {
    const html = drawn([
      points,
      { mark: "rule", x: 1, y: null, label: "asked for" },
      { mark: "text", x: 2, y: 0.5, words: "none left" },
    ]);
    expect(html).toContain("asked for");
    expect(html).toContain("none left");
  });
  it("names what the colours stand for", () => {
    expect(drawn([line])).toContain(">turned<");
    expect(drawn([{ ...line, label: "" }])).not.toContain(">turned<");
  });
  it("is a table of its one series, with what is missing said as such", () => {
    const html = drawn([points], {}, true);
    for (const head of ["x", "y", "low", "high", "value"]) expect(html).toContain(`>${head}<`);
    expect(html).not.toContain(">series<");
    expect(count(html, /<tr/g)).toBe(5);
  });
  it("is a table of all its series, each under its name", () => {
    const html = drawn([points, { ...line, series: "limit" }], {}, true);
    expect(html).toContain(">series<");
    expect(html).toContain(">limit<");
    expect(count(html, /<tr/g)).toBe(7);
  });
});
