/** The suspects' list and the handle along a dial, as they are first drawn. */
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { renderToString } from "react-dom/server";
import { MemoryRouter, Outlet, Route, Routes } from "react-router";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { theme } from "../theme";

vi.stubGlobal("location", { origin: "http://127.0.0.1" });
vi.mock("echarts/core", () => ({ use: () => undefined, init: () => undefined }));
vi.mock("echarts/charts", () => ({ LineChart: {} }));
vi.mock("echarts/components", () => ({
  AriaComponent: {},
  GridComponent: {},
  MarkLineComponent: {},
  TooltipComponent: {},
}));
vi.mock("echarts/renderers", () => ({ SVGRenderer: {} }));
const { Suspects } = await import("./Suspects");
const { DialExplorer } = await import("../charts/DialExplorer");

const CASE = 7;

/** Inside a case of its reviewer, or of somebody who only reads. */
function inCase(children: ReactNode, known: QueryClient, mayReview: boolean): string {
  const theCase = { id: CASE, may: { review: mayReview } };
  return renderToString(
    <ThemeProvider theme={theme}>
      <QueryClientProvider client={known}>
        <MemoryRouter initialEntries={[`/cases/${CASE}/evidence?exhibit=7`]}>
          <Routes>
            <Route path="/cases/:caseId" element={<Outlet context={{ theCase, openMargin: () => undefined }} />}>
              <Route path="evidence" element={children} />
            </Route>
          </Routes>
        </MemoryRouter>
      </QueryClientProvider>
    </ThemeProvider>,
  ).replaceAll("<!-- -->", "");
}

const chart: Schemas["SuspectList"] = {
  kind: "suspects",
  id: "a",
  title: "Rows whose labels the others contradict",
  series: "suspects",
  classes: ["fire", "fall"],
  part: "out_of_fold",
  found: 40,
  sample: "",
};
const series = {
  suspects: {
    row: [4, 9, 2],
    submitted: [5, 11, 2],
    label: [0, 1, 0],
    suggested: [1, 0, 1],
    probability: [0.93, 0.81, 0.7],
    margin: [0.9, 0.6, 0.5],
  },
};

function list(marks: Schemas["LabelMark"][], mayReview = true): string {
  const known = new QueryClient();
  known.setQueryData(["suspects", CASE], {
    columns: ["room", "hour"],
    rows: [
      ["hall", "3"],
      ["kitchen", null],
      ["hall", "9"],
    ],
    marks,
  });
  return inCase(<Suspects chart={chart} series={series} />, known, mayReview);
}

describe("the suspects' list", () => {
  it("has a row a suspect, with its label, the suggestion and the row as it reads", () => {
    const html = list([]);
    const body = html.slice(html.indexOf("<tbody"));
    expect(body.match(/<tr/g)).toHaveLength(3);
    for (const words of [">5<", ">fire<", ">fall<", ">0.930<", ">hall<", ">gap<"]) expect(body).toContain(words);
    expect(html).toContain("No label is marked.");
  });
  it("says when it holds only the strongest of more", () => {
    expect(list([])).toContain(">3 of 40<");
  });
  it("offers the pairs of classes with their counts", () => {
    const html = list([]);
    expect(html).toContain("fire → fall (2)");
    expect(html).toContain("fall → fire (1)");
  });
  it("shows what was said of each, by the row of the submitted table", () => {
    const html = list([
      { row: 5, verdict: "wrong", label: null },
      { row: 11, verdict: "corrected", label: "fire" },
      { row: 2, verdict: "kept", label: null },
    ]);
    expect(html).toContain(">wrong<");
    expect(html).toContain(">now fire<");
    expect(html).toContain("3 labels marked: 1 wrong, 1 corrected, 1 kept.");
    expect(html).toContain("run what changed");
  });
  it("lets nobody mark who does not review", () => {
    const html = list([{ row: 5, verdict: "wrong", label: null }], false);
    expect(html).not.toContain("All 3 shown:");
    expect(html).not.toContain("Mark with");
    expect(html).not.toContain("run what changed");
    expect(html).toContain("/api/cases/7/suspects/csv");
  });
  it("can be reached by the tab key, one row of it", () => {
    const html = list([]);
    const body = html.slice(html.indexOf("<tbody"));
    expect(body.match(/tabindex="0"/gi)).toHaveLength(1);
  });
});

const dial: Schemas["DialChart"] = {
  kind: "dial",
  id: "a",
  title: "Loss along depth",
  setting: "depth",
  series: "dial",
  criteria: ["brier", "error_rate"],
  points: ["1", "2", "no limit"],
  submitted: 2,
  best: 1,
  simplest: 1,
  tree: null,
  strengths: [],
};
const losses = Object.fromEntries(
  ["brier", "error_rate"].flatMap((name) => [
    [`${name} training`, [0.25, 0.2, 0]],
    [`${name} unseen`, [0.25, 0.19, 0.31]],
    [`${name} low`, [0.24, 0.18, 0.29]],
    [`${name} high`, [0.26, 0.2, 0.33]],
  ]),
) as Record<string, number[]>;

describe("the handle along a dial", () => {
  const drawn = (asTable = false) =>
    inCase(<DialExplorer chart={dial} series={{ dial: losses }} asTable={asTable} />, new QueryClient(), true);
  it("starts at the submitted value and reads the losses there, unseen ones with their interval", () => {
    const html = drawn();
    expect(html).toContain(
      "At depth <b>no limit</b> (as submitted): Brier score 0.310 [0.290, 0.330] unseen, 0.000 on training rows",
    );
    expect(html).toContain("error rate 0.310 [0.290, 0.330] unseen");
  });
  it("leads to the best and to the simplest as good", () => {
    const html = drawn();
    expect(html).toContain("Best, 2");
    expect(html).toContain("Simplest as good, 2");
    expect(html).toMatch(/disabled=""[^>]*>Submitted, no limit/);
  });
  it("has a table a criterion, a row a value", () => {
    const html = drawn(true);
    expect(html).toContain("Brier score along depth, as a table");
    expect(html).toContain("error rate along depth, as a table");
    expect(html.match(/<tr /g)?.length).toBeGreaterThanOrEqual(2);
    for (const value of [">0.1900<", ">0.3300<"]) expect(html).toContain(value);
  });
  it("names the value for those who don't see the handle", () => {
    expect(drawn()).toContain('aria-valuetext="no limit"');
  });
});
