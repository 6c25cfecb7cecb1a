import { renderToString } from "react-dom/server";
import { ThemeProvider } from "@mui/material/styles";
import { describe, expect, it } from "vitest";
import { theme } from "../../theme";
import { outlineOf, type Columns, type Tree } from "./outline";
import { Outline } from "./Outline";
import { Overview } from "./Overview";

const column = (words: string, mark: string | null = null) => ({
  words,
  feature: words,
  kind: "number",
  levels: [],
  mark,
});
const chart = {
  kind: "tree",
  title: "The tree",
  trees: ["tree:1"],
  columns: [column("pressure"), column("age", "protected"), column("area", "stands in for sex (0.81)")],
  outcome: "yes",
  classes: ["no", "yes"],
  one_of: 1,
} as unknown as Tree;
const columns: Columns = {
  left: [1, 3, -1, -1, -1],
  right: [2, 4, -1, -1, -1],
  column: [1, 2, -1, -1, -1],
  threshold: [64.5, 3, null, null, null],
  strength: [0.3, 0.1, 0, 0, 0],
  training: [1200, 600, 600, 300, 300],
  unseen: [500, 250, 250, 250, 0],
  share: [0.5, 0.3, 0.8, 0.1, 0.6],
  low: [0.47, 0.27, 0.77, 0.07, 0.55],
  high: [0.53, 0.34, 0.83, 0.14, 0.66],
  unseen_share: [0.4, 0.3, 0.5, 0.3, null],
  unseen_low: [0.36, 0.25, 0.44, 0.25, null],
  unseen_high: [0.44, 0.36, 0.56, 0.36, null],
  gain: [0.061, 0.0003, null, null, null],
  unseen_gain: [0.05, -0.02, null, null, null],
  answer: [0, 0, 1, 0, 1],
};

function drawn(of: Tree = chart, cut: number | null = null, path: number[] = []): string {
  const rows = outlineOf(of, columns, { root: 0, depth: 9, toggled: new Set(), cut, hideCut: false });
  const none = () => undefined;
  return renderToString(
    <ThemeProvider theme={theme}>
      <Outline
        chart={of}
        columns={columns}
        rows={rows}
        path={new Set(path)}
        onToggle={none}
        onZoom={none}
        onOut={none}
      />
    </ThemeProvider>,
  );
}

describe("a tree's picture", () => {
  it("says all of a node to those who don't see it", () => {
    const html = drawn();
    expect(html).toContain(
      "all rows. 0.500 [0.470, 0.530] of 1\u202f200 training rows; 0.400 [0.360, 0.440] of 500 unseen rows. Splits on age, protected",
    );
    expect(html).toContain("area &gt; 3. 0.600 [0.550, 0.660] of 300 training rows; 0 unseen rows");
    expect(html.match(/role="treeitem"/g)).toHaveLength(5);
    expect(html.match(/aria-expanded="true"/g)).toHaveLength(2);
  });
  it("has one node in the order of the tab key", () => {
    expect(drawn().match(/tabindex="0"/gi)).toHaveLength(1);
    expect(drawn().match(/tabindex="-1"/gi)).toHaveLength(4);
  });
  it("marks splits on what is protected, or stands in for it", () => {
    const html = drawn();
    expect(html).toContain(">splits on protected<");
    expect(html).toContain(">splits on a stand-in<");
  });
  it("gives gains in few digits, those too small as next to nothing", () => {
    const html = drawn().replaceAll("<!-- -->", "");
    expect(html).toContain(">0.061 · 0.05<");
    expect(html).toContain(">≈ 0 · −0.02<");
  });
  it("says what pruning makes a leaf of, and what it takes away", () => {
    const html = drawn(chart, 0.1);
    expect(html).toContain("Pruned to a leaf here");
    expect(html.match(/Pruned away/g)?.length).toBeGreaterThanOrEqual(2);
    expect(html.match(/opacity="0.45"/g)).toHaveLength(2);
  });
  it("names the answer of each node where there are several classes", () => {
    expect(drawn({ ...chart, classes: ["a", "b", "c"] })).toContain("all rows · a");
    expect(drawn({ ...chart, classes: ["a", "b", "c"] })).toContain("share of its answer");
  });
  it("shows the path of a row", () => {
    expect(drawn(chart, null, [0, 2]).match(/aria-selected="true"/g)).toHaveLength(2);
  });
  it("calls a number's nodes by their mean", () => {
    expect(drawn({ ...chart, classes: [], outcome: "seconds" })).toContain("mean seconds");
  });
});

describe("the band over it", () => {
  it("has a block a node and is nothing that is read out", () => {
    const html = renderToString(
      <ThemeProvider theme={theme}>
        <Overview chart={chart} columns={columns} root={0} path={new Set()} onZoom={() => undefined} />
      </ThemeProvider>,
    );
    expect(html.match(/<rect/g)).toHaveLength(5);
    expect(html).toContain('aria-hidden="true"');
  });
});
