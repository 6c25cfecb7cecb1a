/** A confusion matrix: outcomes down, decisions across; counts, and each as a share of its row. */
import Box from "@mui/material/Box";
import { count } from "../wording";

interface MatrixProps {
  title: string;
  classes: readonly string[];
  cells: readonly (readonly number[])[];
}

export function Matrix({ title, classes, cells }: MatrixProps) {
  const head = { fontWeight: 500, fontSize: 12, color: "text.secondary", p: 0.5, textAlign: "left" } as const;
  return (
    <Box sx={{ overflowX: "auto", mb: 2, flex: "none", maxWidth: "100%" }}>
      <Box component="table" sx={{ borderCollapse: "collapse" }}>
        <Box component="caption" sx={{ textAlign: "left", fontSize: 12, color: "text.secondary", pb: 0.5 }}>{title}</Box>
        <thead>
          <tr>
            <Box component="th" scope="col" sx={{ ...head, fontSize: 11 }}>outcome ↓ decided →</Box>
            {classes.map((label) => <Box component="th" scope="col" key={label} sx={{ ...head, textAlign: "right" }}>{label}</Box>)}
          </tr>
        </thead>
        <tbody>
          {cells.map((row, i) => (
            <tr key={classes[i]}>
              <Box component="th" scope="row" sx={head}>{classes[i]}</Box>
              {row.map((n, j) => <MatrixCell key={classes[j]} n={n} of={sum(row)} right={i === j} small={classes.length > 4} />)}
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

function MatrixCell({ n, of, right, small }: { n: number; of: number; right: boolean; small: boolean }) {
  return (
    <Box component="td" sx={{ border: 1, borderColor: "divider", p: small ? 0.5 : 1, minWidth: small ? 64 : 92, textAlign: "right", bgcolor: right ? "brook.pale" : "transparent" }}>
      <Box sx={{ fontSize: small ? 13 : 15, fontWeight: 550 }}>{Number.isInteger(n) ? count(n) : n.toFixed(1)}</Box>
      <Box sx={{ fontSize: 11, color: "text.secondary" }}>{of > 0 ? `${((100 * n) / of).toFixed(1)} % of row` : "no row"}</Box>
    </Box>
  );
}

const sum = (row: readonly number[]) => row.reduce((total, n) => total + n, 0);
