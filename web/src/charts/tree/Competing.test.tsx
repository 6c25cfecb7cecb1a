import { ThemeProvider } from "@mui/material/styles";
import { renderToString } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { theme } from "../../theme";
import { Competing, splitsAt } from "./Competing";
import { boxesOf } from "./drawn";
import { DrawnTree } from "./DrawnTree";
import type { Columns, Tree } from "./outline";

const column = (words: string) => ({ words, feature: words, kind: "number", levels: [], mark: null });
const chart = {
  kind: "tree",
  title: "The tree",
  trees: ["tree:1"],
  columns: [column("pressure"), column("age")],
  outcome: "yes",
  classes: ["no", "yes"],
  one_of: 1,
  competing: "competing:1",
} as unknown as Tree;
const columns: Columns = {
  left: [1, 3, -1, -1, -1],
  right: [2, 4, -1, -1, -1],
  column: [1, 0, -1, -1, -1],
  threshold: [64.5, 3, null, null, null],
  training: [1200, 600, 600, 300, 300],
  unseen: [500, 250, 250, 250, 0],
  share: [0.5, 0.3, 0.8, 0.1, 0.6],
  unseen_share: [0.4, 0.3, 0.5, 0.3, null],
  answer: [0, 0, 1, 0, 1],
};
const series = {
  "competing:1": {
    node: [0, 0, 1],
    column: [1, 0, 0],
    threshold: [64.5, 2.25, 3],
    gain: [0.061, 0.04, 0.0003],
    unseen_gain: [0.05, -0.02, null],
    log_p: [28.4, 17.2, 0.9],
    corrected: [26.1, 14.8, 0],
  },
};
const drawn = (node: number) =>
  renderToString(
    <ThemeProvider theme={theme}>
      <Competing chart={chart} columns={columns} series={series} node={node} where="all rows" />
    </ThemeProvider>,
  );

describe("the other splits of a node", () => {
  it("are those of that node alone, the best first", () => {
    expect(splitsAt(chart, series, 0).map((one) => one.words)).toEqual(["age ≤ 64.5", "pressure ≤ 2.25"]);
    expect(splitsAt(chart, series, 1)).toHaveLength(1);
    expect(splitsAt({ ...chart, competing: null }, series, 0)).toEqual([]);
  });
  it("are told with what they gain on training and on unseen rows", () => {
    const html = drawn(0);
    for (const told of ["age ≤ 64.5", "0.0610", "−0.0200", "28.4", "26.1"]) expect(html).toContain(told);
  });
  it("say that a leaf has none, and that a gain nobody can see has no value", () => {
    expect(drawn(3)).toContain("A leaf splits on nothing.");
    expect(drawn(1)).toContain("–");
  });
});

describe("a tree drawn from its root down", () => {
  it("stands its leaves side by side and parents between their children", () => {
    const boxes = boxesOf(columns) ?? [];
    expect(boxes.map((box) => [box.node, box.depth, box.across])).toEqual([
      [0, 0, 1.25],
      [1, 1, 0.5],
      [3, 2, 0],
      [4, 2, 1],
      [2, 1, 2],
    ]);
  });
  it("is not tried of a tree that could not be read", () => {
    const full = Array.from({ length: 31 }, (_, i) => (i < 15 ? 2 * i + 1 : -1));
    const many = { left: full, right: full.map((left) => (left < 0 ? -1 : left + 1)) };
    expect(boxesOf(many)).toBeNull();
    // Pruned at its second level it can be read.
    const strength = full.map((left, i) => (left < 0 ? 0 : i < 1 ? 0.9 : 0.1));
    expect(boxesOf({ ...many, strength }, 0.2)).toHaveLength(3);
    const chain = {
      left: [1, 3, -1, 5, -1, 7, -1, 9, -1, 11, -1, 13, -1, -1, -1],
      right: [2, 4, -1, 6, -1, 8, -1, 10, -1, 12, -1, 14, -1, -1, -1],
    };
    expect(boxesOf(chain)).toBeNull();
    expect(boxesOf({})).toBeNull();
  });
  it("has counts and shares in every box, and what a missing share is", () => {
    const html = renderToString(
      <ThemeProvider theme={theme}>
        <DrawnTree chart={chart} columns={columns} cut={null} />
      </ThemeProvider>,
    );
    expect(html.match(/<rect/g)).toHaveLength(5);
    for (const told of ["age ≤ 64.5", "0.50", "0.40", "1\u202f200", "500", ">–<"]) expect(html).toContain(told);
    expect(html.match(/>so</g)).toHaveLength(2);
  });
});
