/** A confusion matrix: counts, and each as a share of its row. */
import Box from "@mui/material/Box";
import { count } from "../wording";

interface MatrixProps {
  title: string;
  positive: string;
  tn: number;
  fp: number;
  fn: number;
  tp: number;
}

export function Matrix({ title, positive, tn, fp, fn, tp }: MatrixProps) {
  const cell = (n: number, of: number, right: boolean) => (
    <Box component="td" sx={{ border: 1, borderColor: "divider", p: 1, minWidth: 92, textAlign: "right", bgcolor: right ? "brook.pale" : "transparent" }}>
      <Box sx={{ fontSize: 15, fontWeight: 550 }}>{count(n)}</Box>
      <Box sx={{ fontSize: 11, color: "text.secondary" }}>{of > 0 ? `${((100 * n) / of).toFixed(1)} % of row` : "no row"}</Box>
    </Box>
  );
  const head = { fontWeight: 500, fontSize: 12, color: "text.secondary", p: 0.5, textAlign: "left" } as const;
  return (
    <Box component="table" sx={{ borderCollapse: "collapse", mb: 2, flex: "none" }}>
      <Box component="caption" sx={{ textAlign: "left", fontSize: 12, color: "text.secondary", pb: 0.5 }}>{title}</Box>
      <thead>
        <tr>
          <Box component="th" sx={head} />
          <Box component="th" scope="col" sx={head}>not selected</Box>
          <Box component="th" scope="col" sx={head}>selected</Box>
        </tr>
      </thead>
      <tbody>
        <tr>
          <Box component="th" scope="row" sx={head}>not {positive}</Box>
          {cell(tn, tn + fp, true)}
          {cell(fp, tn + fp, false)}
        </tr>
        <tr>
          <Box component="th" scope="row" sx={head}>{positive}</Box>
          {cell(fn, fn + tp, false)}
          {cell(tp, fn + tp, true)}
        </tr>
      </tbody>
    </Box>
  );
}
