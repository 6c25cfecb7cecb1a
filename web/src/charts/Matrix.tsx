/** A confusion matrix: outcomes down, decisions across; counts, each as a share of its row and of its column, and the baseline beside it. */
import Box from "@mui/material/Box";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { count } from "../wording";
import { useRowsLink } from "./rowsBehind";

type MatrixProps = Pick<Schemas["MatrixChart"], "title" | "classes" | "cells"> &
  Partial<Pick<Schemas["MatrixChart"], "rows" | "baseline">>;

export function Matrix({ title, classes, cells, rows, baseline }: MatrixProps) {
  const link = useRowsLink();
  const head = { fontWeight: 500, fontSize: "size.small", color: "text.secondary", p: 0.5, textAlign: "left" } as const;
  const columns = classes.map((_, j) => sum(cells.map((row) => row[j] ?? 0)));
  const all = sum(columns);
  const right = sum(cells.map((row, i) => row[i] ?? 0));
  const small = classes.length > 4;
  return (
    <Box sx={{ overflowX: "auto", mb: 2, flex: "none", maxWidth: "100%" }}>
      <Box component="table" sx={{ borderCollapse: "collapse" }}>
        <Box component="caption" sx={{ textAlign: "left", fontSize: "size.small", color: "text.secondary", pb: 0.5 }}>
          {title}
        </Box>
        <thead>
          <tr>
            <Box component="th" scope="col" sx={{ ...head, fontSize: "size.note" }}>
              outcome ↓ decided →
            </Box>
            {classes.map((label) => (
              <Box component="th" scope="col" key={label} sx={{ ...head, textAlign: "right" }}>
                {label}
              </Box>
            ))}
            <Box component="th" scope="col" sx={{ ...head, textAlign: "right" }}>
              all
            </Box>
          </tr>
        </thead>
        <tbody>
          {cells.map((row, i) => (
            <tr key={classes[i]}>
              <Box component="th" scope="row" sx={head}>
                {classes[i]}
              </Box>
              {row.map((n, j) => (
                <MatrixCell
                  key={classes[j]}
                  n={n}
                  ofRow={sum(row)}
                  ofColumn={columns[j] ?? 0}
                  right={i === j}
                  small={small}
                  to={
                    rows && n > 0
                      ? link({
                          ...rows,
                          score_from: null,
                          score_to: null,
                          outcome: classes[i] ?? null,
                          decided: classes[j] ?? null,
                        })
                      : null
                  }
                  label={`${classes[i]} decided as ${classes[j]}`}
                />
              ))}
              <Total n={sum(row)} />
            </tr>
          ))}
          <tr>
            <Box component="th" scope="row" sx={head}>
              all
            </Box>
            {columns.map((n, j) => (
              <Total key={classes[j]} n={n} />
            ))}
            <Total n={all} />
          </tr>
        </tbody>
      </Box>
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

interface MatrixCellProps {
  n: number;
  ofRow: number;
  ofColumn: number;
  right: boolean;
  small: boolean;
  to: string | null;
  label: string;
}

function MatrixCell({ n, ofRow, ofColumn, right, small, to, label }: MatrixCellProps) {
  return (
    <Box
      component="td"
      sx={{
        border: 1,
        borderColor: "divider",
        p: small ? 0.5 : 1,
        minWidth: small ? 76 : 104,
        textAlign: "right",
        bgcolor: right ? "brook.pale" : "transparent",
      }}
    >
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
    </Box>
  );
}

function Total({ n }: { n: number }) {
  return (
    <Box component="td" sx={{ textAlign: "right", p: 1, fontSize: "size.small", color: "text.secondary" }}>
      {figure(n)}
    </Box>
  );
}

const sum = (row: readonly number[]) => row.reduce((total, n) => total + n, 0);
const share = (n: number, of: number) => `${((100 * n) / of).toFixed(1)} %`;
const figure = (n: number) => (Number.isInteger(n) ? count(n) : n.toFixed(1));
