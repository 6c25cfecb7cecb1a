/** What else a node of a tree could have split on: the best cut of each column there. */
import Box from "@mui/material/Box";
import type { Exhibit } from "../../api/client";
import { MINUS, number } from "../../wording";
import { condition, isLeaf, type Columns, type Tree } from "./outline";

export interface Split {
  words: string;
  gain: number;
  unseen: number | null;
  logP: number | null;
  corrected: number | null;
}

/** The other splits of a node, the best first; none where they were not looked for. */
export function splitsAt(chart: Tree, series: Exhibit["series"], node: number): Split[] {
  const found = series?.[chart.competing ?? ""];
  if (!found) return [];
  const value = (name: string, place: number) => found[name]?.[place] ?? null;
  return (found.node ?? []).flatMap((at, place) => {
    const column = chart.columns[value("column", place) ?? -1];
    if (at !== node || !column) return [];
    return [
      {
        words: condition(column, value("threshold", place) ?? 0, true),
        gain: value("gain", place) ?? 0,
        unseen: value("unseen_gain", place),
        logP: value("log_p", place),
        corrected: value("corrected", place),
      },
    ];
  });
}

const cell = { textAlign: "right", padding: "2px 0 2px 18px", fontVariantNumeric: "tabular-nums" } as const;
const told = (value: number | null, digits: number) => (value === null ? "–" : number(value, digits));

interface CompetingProps {
  chart: Tree;
  columns: Columns;
  series: Exhibit["series"];
  node: number;
  /** What leads to the node, in words. */
  where: string;
}

export function Competing({ chart, columns, series, node, where }: CompetingProps) {
  if (!chart.competing) return null;
  const splits = splitsAt(chart, series, node);
  if (isLeaf(columns, node) || splits.length === 0)
    return (
      <Box aria-live="polite" sx={{ fontSize: "size.small", color: "text.secondary", minHeight: 22, mt: 1 }}>
        {isLeaf(columns, node)
          ? "A leaf splits on nothing."
          : "Other splits were looked for at the nodes with the most rows alone."}
      </Box>
    );
  return (
    <Box aria-live="polite" sx={{ mt: 1, fontSize: "size.cell" }}>
      <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>
        What else {where} could have been split on; the node in focus above
      </Box>
      <table aria-label="Other splits of the node" style={{ borderCollapse: "collapse" }}>
        <thead>
          <tr>
            {["to the left", "gain, training", "gain, unseen", `${MINUS}log10 p`, "over its cuts"].map((head, i) => (
              <Box
                key={head}
                component="th"
                scope="col"
                sx={{ ...(i ? cell : { textAlign: "left" }), fontWeight: 500, color: "text.secondary" }}
              >
                {head}
              </Box>
            ))}
          </tr>
        </thead>
        <tbody>
          {splits.map((split) => (
            <tr key={split.words}>
              <td>{split.words}</td>
              <td style={cell}>{told(split.gain, 4)}</td>
              <Box component="td" sx={{ ...cell, color: (split.unseen ?? 0) < 0 ? "brook.brick" : "text.primary" }}>
                {told(split.unseen, 4)}
              </Box>
              <td style={cell}>{told(split.logP, 1)}</td>
              <td style={cell}>{told(split.corrected, 1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
