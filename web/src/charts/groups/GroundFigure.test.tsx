import { renderToString } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { ThemeProvider } from "@mui/material/styles";
import { describe, expect, it, vi } from "vitest";
import type { Estimate, Schemas } from "../../api/client";
import { cutsIn, isChanged, levelsIn, mergeable, mergedWith, NO_CHANGE, Regroup } from "../../screens/Regroup";
import { theme } from "../../theme";

vi.mock("../Curves", () => ({ default: () => null }));
const { GroundFigure, numbersOf } = await import("./GroundFigure");
const { CombinationFigure } = await import("./CombinationFigure");

const estimate = (value: number | null, more: Partial<Estimate> = {}) =>
  ({
    measure: "selection_rate",
    value,
    ends: [],
    low: value === null ? null : value - 0.05,
    high: value === null ? null : value + 0.05,
    n: 120,
    standing: null,
    note: null,
    ...more,
  }) as Estimate;
const estimates = [
  estimate(0.5),
  estimate(0.3),
  estimate(0.6, {
    measure: "selection_rate_ratio",
    standing: "unsettled",
    wide_low: 0.4,
    wide_high: 0.9,
    limit: { at_least: 0.8, at_most: 1.25, ideal: 1, burden: "reviewer", policy: null },
  }),
  estimate(0.2, { n: 9, note: "too few to judge" }),
];
const chart: Schemas["GroundChart"] = {
  kind: "ground",
  id: "a",
  title: "Sex, out-of-fold rows",
  attribute: "sex",
  groups: ["female (reference)", "male", "x"],
  sizes: [120, 120, 9],
  curves: [],
  cuts: null,
  levels: ["female", "male", "x"],
  reference: 0,
  strips: [
    {
      measure: "selection_rate",
      words: "Selected",
      rows: [0, 1, 3],
      kind: "ratio",
      against: [null, 2, null],
      comparisons: [[], [2], []],
      settle: [null, 640, null],
      ends: [],
      low: 0.4,
      high: 0.625,
    },
  ],
};
const shown = (node: React.ReactNode) =>
  renderToString(
    <MemoryRouter>
      <ThemeProvider theme={theme}>{node}</ThemeProvider>
    </MemoryRouter>,
  ).replaceAll("<!-- -->", "");

describe("groups that are each set against everyone else", () => {
  const [strip] = chart.strips;
  const everyone = {
    ...chart,
    groups: ["female", "male", "x"],
    reference: null,
    strips: [
      {
        ...(strip as Schemas["CriterionStrip"]),
        low: null,
        high: null,
        ends: [
          [0.24, 0.375],
          [0.4, 0.5],
          [null, null],
        ] as [number | null, number | null][],
      },
    ],
  };
  const page = shown(<GroundFigure chart={everyone} series={{}} estimates={estimates} asTable={false} />);
  it("says whose value sets the limits, and draws a pair of them a group", () => {
    expect(page).toContain("as the value of everyone else sets them");
    expect(page).toContain("against everyone else");
    expect(page.match(/stroke-dasharray="4 3"/g)).toHaveLength(4);
  });
});

describe("the page of a ground", () => {
  const page = shown(<GroundFigure chart={chart} series={{}} estimates={estimates} asTable={false} />);
  it("says what these rows can't tell, and the rows that would", () => {
    expect(page).toMatch(
      /These rows can.{1,6}t tell whether a difference is there: male by selected \(about 640 rows of the group would\)/,
    );
  });
  it("has a text for who can't see it, with every interval", () => {
    expect(page).toContain("Selected: female (reference) 0.500 [0.450, 0.550]; male 0.300 [0.250, 0.350]");
  });
  it("draws a line a group and the limits as the reference sets them", () => {
    expect(page.match(/<circle/g)?.length).toBeGreaterThanOrEqual(3);
    expect(page.match(/stroke-dasharray="4 3"/g)).toHaveLength(2);
    expect(page).toContain("female (ref.)");
    expect(page).toContain("too few to judge");
  });
  it("gives every number as a row", () => {
    const { columns, rows } = numbersOf(chart, estimates);
    expect(columns).toContain("rows to settle");
    expect(rows[1]).toEqual([
      "Selected",
      "male",
      0.3,
      0.25,
      0.35,
      120,
      0.6,
      0.5499999999999999,
      0.65,
      "unsettled",
      640,
    ]);
    expect(rows[0]?.[6]).toBeNull();
  });
});

describe("groups made otherwise", () => {
  it("reads cuts that rise and no others", () => {
    expect(cutsIn("25, 40 65")).toEqual([25, 40, 65]);
    for (const text of ["", "a", "40, 25", "25, 25", "1 2 x"]) expect(cutsIn(text)).toBeNull();
  });
  it("keeps what was taken together before, and never splits a level that says or", () => {
    const levels = ["a", "b", "c", "owner or tenant"];
    expect(levelsIn("owner or tenant", levels)).toEqual(["owner or tenant"]);
    expect(levelsIn("a or b", levels)).toEqual(["a", "b"]);
    expect(mergedWith(["c", "owner or tenant"], ["a or b", "c", "owner or tenant"], levels)).toEqual([
      ["a", "b"],
      ["c", "owner or tenant"],
    ]);
    expect(mergeable(["a or b", "c", "owner or tenant", "not recorded"], levels)).toEqual([
      "a or b",
      "c",
      "owner or tenant",
    ]);
    expect(mergedWith(["a or b", "c"], ["a or b", "c", "owner or tenant"], levels)).toEqual([["a", "b", "c"]]);
  });
  it("is a change where any part of it says something", () => {
    expect(isChanged(NO_CHANGE)).toBe(false);
    expect(isChanged({ ...NO_CHANGE, references: { sex: "m" } })).toBe(true);
  });
  it("offers levels to take together, or cuts where the ground is a number", () => {
    const levels = shown(<Regroup caseId={1} ground={chart} wanted={NO_CHANGE} mayReview onWant={() => undefined} />);
    expect(levels).toContain("Take together:");
    expect(levels).not.toContain("nothing of this is kept");
    const bands = shown(
      <Regroup
        caseId={1}
        ground={{ ...chart, cuts: [25, 40] }}
        wanted={{ ...NO_CHANGE, bands: { sex: [25, 40] } }}
        mayReview
        onWant={() => undefined}
      />,
    );
    expect(bands).toContain('value="25, 40"');
    expect(bands).toContain("nothing of this is kept");
    expect(bands).toContain("/cases/1/plan");
  });
});

describe("the list of combinations", () => {
  const group = (levels: string[], place: number, worse: string[] = []): Schemas["CombinedGroup"] => ({
    levels,
    n: 120,
    rates: { selection_rate: place },
    judged: { selection_rate: [2] },
    worse,
  });
  const combined: Schemas["CombinationChart"] = {
    kind: "combinations",
    id: "a",
    title: "Groups together",
    criteria: { selection_rate: "Selected" },
    whole: group([], 0),
    singles: [],
    combinations: [
      {
        attributes: ["sex", "age"],
        reference: 0,
        groups: [group(["m", "young"], 0), group(["f", "old"], 1, ["selection_rate"])],
      },
    ],
  };
  const drawn = (mayFind: boolean) =>
    shown(
      <CombinationFigure
        chart={combined}
        estimates={estimates}
        asTable={false}
        chosen=""
        onChoose={() => undefined}
        onFind={mayFind ? () => undefined : undefined}
      />,
    );
  it("begins with what is worse than either ground alone, chosen and the one stop of the tab key", () => {
    const page = drawn(true);
    expect(page).toContain("1 group worse than either ground alone would make it, first");
    expect(page.indexOf("f, old")).toBeLessThan(page.indexOf("m, young"));
    expect(page.match(/<tr[^>]*tabindex="0"/g)).toHaveLength(1);
    expect(page).toContain("Write a finding about this group");
  });
  it("lets one who only reads write no finding", () => {
    expect(drawn(false)).not.toContain("Write a finding");
  });
});
