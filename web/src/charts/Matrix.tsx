/** A confusion matrix: outcomes down, decisions across; counts, each as a share of its row and of its column, and the baseline beside it. */
import Box from "@mui/material/Box";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { DataTable, type TableColumn } from "../parts/DataTable";
import { count } from "../wording";
import { useRowsLink } from "./rowsBehind";

type MatrixProps = Pick<Schemas["MatrixChart"], "title" | "classes" | "cells"> &
  Partial<Pick<Schemas["MatrixChart"], "rows" | "baseline">>;

export function Matrix({ title, classes, cells, rows, baseline }: MatrixProps) {
  const link = useRowsLink();
  const columns = classes.map((_, j) => sum(cells.map((row) => row[j] ?? 0)));
  const all = sum(columns);
  const right = sum(cells.map((row, i) => row[i] ?? 0));
  const small = classes.length > 4;
  const behind = (outcome: number, decided: number, n: number) =>
    rows && n > 0
      ? link({
          ...rows,
          score_from: null,
          score_to: null,
          outcome: classes[outcome] ?? null,
          decided: classes[decided] ?? null,
        })
      : null;
  return (
    <Box sx={{ overflowX: "auto", mb: 2, flex: "none", maxWidth: "100%" }}>
      <DataTable
        close
        caption={title}
        rows={[
          ...cells.map((row, i): Line => ({ label: classes[i] ?? "", row, place: i })),
          { label: "all", row: columns },
        ]}
        keyOf={(_, i) => i}
        columns={[
          {
            head: "outcome ↓ decided →",
            headSx: { fontSize: "size.note" },
            namesRow: true,
            sx: { fontSize: "size.small", color: "text.secondary" },
            cell: (line) => line.label,
          },
          ...classes.map((label, j): TableColumn<Line> => ({
            head: label,
            right: true,
            sx: ({ place }) => (place === undefined ? TOTAL : cellLook(place === j, small)),
            cell: ({ row, place }) =>
              place === undefined ? (
                figure(row[j] ?? 0)
              ) : (
                <MatrixCell
                  n={row[j] ?? 0}
                  ofRow={sum(row)}
                  ofColumn={columns[j] ?? 0}
                  small={small}
                  to={behind(place, j, row[j] ?? 0)}
                  label={`${classes[place]} decided as ${label}`}
                />
              ),
          })),
          { head: "all", right: true, sx: TOTAL, cell: ({ row }) => figure(sum(row)) },
        ]}
        sx={{ "& caption": { fontWeight: 400, fontSize: "size.small", color: "text.secondary" } }}
      />
      {all > 0 && (
        <Box sx={{ fontSize: "size.small", color: "text.secondary", mt: 0.5 }}>
          Right: {share(right, all)} of {figure(all)}.
          {baseline != null &&
            classes[baseline] !== undefined &&
            ` Always answering ${classes[baseline]} would be right on ${share(sum(cells[baseline] ?? []), all)}.`}
        </Box>
      )}
    </Box>
  );
}

/** A row of the matrix; the last, of all outcomes, has no place among the classes. */
interface Line {
  label: string;
  row: readonly number[];
  place?: number;
}

const TOTAL = { p: 1, fontSize: "size.small", color: "text.secondary" };

const cellLook = (right: boolean, small: boolean) => ({
  border: 1,
  borderColor: "divider",
  p: small ? 0.5 : 1,
  minWidth: small ? 76 : 104,
  bgcolor: right ? "brook.pale" : "transparent",
});

interface MatrixCellProps {
  n: number;
  ofRow: number;
  ofColumn: number;
  small: boolean;
  to: string | null;
  label: string;
}

function MatrixCell({ n, ofRow, ofColumn, small, to, label }: MatrixCellProps) {
  return (
    <>
      <Box sx={{ fontSize: small ? "size.text" : "size.lead", fontWeight: 550 }}>
        {to ? (
          <Link to={to} aria-label={`${figure(n)} rows, ${label}`}>
            {figure(n)}
          </Link>
        ) : (
          figure(n)
        )}
      </Box>
      <Box sx={{ fontSize: "size.note", color: "text.secondary", whiteSpace: "nowrap" }}>
        {ofRow > 0 ? `${share(n, ofRow)} of row` : "no row"}
      </Box>
      <Box sx={{ fontSize: "size.note", color: "text.secondary", whiteSpace: "nowrap" }}>
        {ofColumn > 0 ? `${share(n, ofColumn)} of column` : "none decided"}
      </Box>
    </>
  );
}

const sum = (row: readonly number[]) => row.reduce((total, n) => total + n, 0);
const share = (n: number, of: number) => `${((100 * n) / of).toFixed(1)} %`;
const figure = (n: number) => (Number.isInteger(n) ? count(n) : n.toFixed(1));
