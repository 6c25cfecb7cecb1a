import { ThemeProvider } from "@mui/material/styles";
import type { ReactNode } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it } from "vitest";
import type { Estimate, Schemas } from "../api/client";
import { GaugeMark } from "../marks/GaugeMark";
import { theme } from "../theme";
import { gapEnds, IntervalStrip } from "./IntervalStrip";
import { Matrix } from "./Matrix";

const draw = (node: ReactNode) =>
  renderToStaticMarkup(
    <MemoryRouter>
      <ThemeProvider theme={theme}>{node}</ThemeProvider>
    </MemoryRouter>,
  );

const estimate = (
  value: number | null,
  low: number | null,
  high: number | null,
  more: Partial<Estimate> = {},
): Estimate =>
  ({ measure: "auc", model: "recipe", value, low, high, level: 0.95, n: 1200, method: "wilson", ...more }) as Estimate;

const strip = (rows: Schemas["StripRow"][], more: Partial<Schemas["StripGroup"]> = {}): Schemas["StripChart"] => ({
  kind: "strip",
  id: "a",
  title: "Parts",
  unit: "",
  groups: [{ label: "AUC", rows, claim: null, gap: null, brackets: [], ...more }],
});

const row = (i: number, label: string): Schemas["StripRow"] => ({ estimate: i, label, colour: label });
const dots = (svg: string) => [...svg.matchAll(/<circle cx="([\d.]+)"/g)].map((m) => Number(m[1]));

describe("the interval strip", () => {
  it("puts larger values farther right and says everything in words", () => {
    const svg = draw(
      <IntervalStrip
        chart={strip([row(0, "training"), row(1, "test")])}
        estimates={[estimate(0.95, 0.94, 0.96), estimate(0.71, 0.69, 0.73)]}
      />,
    );
    const [training, test] = dots(svg);
    expect(training).toBeGreaterThan(test as number);
    expect(svg).toContain("training 0.950 [0.940, 0.960]; test 0.710 [0.690, 0.730]");
    expect(svg).toContain("n 1\u202f200");
  });
  it("draws the simultaneous interval as a thin extension", () => {
    const svg = draw(
      <IntervalStrip
        chart={strip([row(0, "test")])}
        estimates={[estimate(0.5, 0.4, 0.6, { wide_low: 0.35, wide_high: 0.65 })]}
      />,
    );
    expect(svg).toContain('stroke-width="1.2"');
    expect(svg).toContain('stroke-width="5"');
  });
  it("shows the reason where there is no value", () => {
    const svg = draw(
      <IntervalStrip
        chart={strip([row(0, "test")])}
        estimates={[estimate(null, null, null, { note: "only one class among these rows" })]}
      />,
    );
    expect(dots(svg)).toEqual([]);
    expect(svg).toContain("only one class among these rows");
  });
  it("flags the claim as it was written", () => {
    const svg = draw(
      <IntervalStrip chart={strip([row(0, "test")], { claim: "0.80" })} estimates={[estimate(0.7, 0.6, 0.75)]} />,
    );
    expect(svg).toMatch(/claim (<!-- -->)?0\.80/);
  });
  it("keeps a single equal value on the picture", () => {
    const [x] = dots(draw(<IntervalStrip chart={strip([row(0, "test")])} estimates={[estimate(0, 0, 0)]} />));
    expect(Number.isFinite(x)).toBe(true);
  });
  it("measures the gap between the first row and the last", () => {
    const svg = draw(
      <IntervalStrip
        chart={strip([row(0, "training"), row(1, "test")], { gap: 2 })}
        estimates={[estimate(1, 0.99, 1), estimate(0.6, 0.5, 0.7), estimate(0.4, 0.3, 0.5, { standing: "outside" })]}
      />,
    );
    expect(svg).toMatch(/gap (<!-- -->)?0\.400/);
  });
  it("draws a gap from the row of the part that it is to, as far as it says", () => {
    const rows = [
      estimate(0.9, 0.8, 1, { part: "training" }),
      estimate(0.63, 0.6, 0.66, { part: "out_of_fold" }),
      estimate(0.65, 0.6, 0.7, { part: "test" }),
    ];
    const to = (part: string, value: number) =>
      gapEnds(estimate(value, 0, 1, { part: "training", versus: { part } as Estimate["versus"] }), rows);
    expect(to("out_of_fold", 0.28)).toEqual([0.63, 0.63 + 0.28]);
    expect(to("test", 0.25)).toEqual([0.65, 0.65 + 0.25]);
    const losses = rows.map((row) => ({ ...row, value: 1 - (row.value ?? 0) }));
    expect(gapEnds(estimate(0.1, 0, 1, { versus: { part: "test" } as Estimate["versus"] }), losses)?.[1]).toBe(0.35);
    expect(gapEnds(estimate(null, null, null), rows)).toBeNull();
  });
});

describe("the gauge mark", () => {
  it("differs in form for each standing, not in colour alone", () => {
    const forms = ["within", "near", "outside", "unsettled", null].map((standing) =>
      draw(<GaugeMark standing={standing} />)
        .replaceAll(/(fill|stroke)="var[^"]*"/g, "")
        .replaceAll(/<title>.*?<\/title>|aria-label="[^"]*"/g, ""),
    );
    expect(new Set(forms).size).toBe(5);
  });
  it("says what it stands for", () => {
    expect(draw(<GaugeMark standing="unsettled" label="Is it fair?" />)).toContain(
      "Is it fair?: unsettled: these rows can&#x27;t tell",
    );
  });
});

describe("the confusion matrix", () => {
  it("gives counts and shares of each row", () => {
    const html = draw(
      <Matrix
        title="Test"
        classes={["no", "yes"]}
        cells={[
          [90, 10],
          [5, 15],
        ]}
      />,
    );
    for (const words of ["90.0 % of row", "10.0 % of row", "25.0 % of row", "75.0 % of row"])
      expect(html).toContain(words);
  });
  it("does not divide by nothing", () => {
    expect(
      draw(
        <Matrix
          title="Test"
          classes={["no", "yes"]}
          cells={[
            [4, 0],
            [0, 0],
          ]}
        />,
      ),
    ).toContain("no row");
  });
});
