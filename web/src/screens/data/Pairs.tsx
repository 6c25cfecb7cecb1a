/** How strongly every two columns go together: one square a pair, and the strongest in words beside it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useMatrix } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { Fetching, Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { MINUS, plural } from "../../wording";
import { inOrder, strongest, type Pair } from "./pairs";

const SIDE = 540;
const LABELS = 128;
const OVERHANG = 46;
const READABLE = 9;
const LISTED = 14;

export function Pairs({ caseId, revision, target }: { caseId: number; revision: number; target: string }) {
  const matrix = useMatrix(caseId, revision);
  if (matrix.isPending) return <Fetching what="all pairs" />;
  if (!matrix.data) return <Said error={matrix.error} />;
  return <Drawn matrix={matrix.data} target={target} />;
}

function Drawn({ matrix, target }: { matrix: Schemas["MatrixView"]; target: string }) {
  const order = useMemo(() => inOrder(matrix.names, matrix.strengths, target), [matrix, target]);
  const pairs = useMemo(() => strongest(matrix.names, matrix.strengths, matrix.measures, LISTED), [matrix]);
  const [over, setOver] = useState<[number, number] | null>(null);
  const size = Math.min(30, Math.max(5, Math.floor((SIDE - LABELS) / order.length)));
  const side = size * order.length;
  const labelled = size >= READABLE;
  const first = pairs[0];
  const at = over ? pairAt(matrix, order[over[0]] ?? 0, order[over[1]] ?? 0) : null;
  return (
    <>
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, mb: 1 }}>
        {first
          ? `${first.one} and ${first.other} go together most closely, ${said(first)}.`
          : "No two columns vary together."}
      </Typography>
      <Box sx={{ display: "flex", gap: 3, flexWrap: "wrap", alignItems: "flex-start" }}>
        <svg
          width={LABELS + side + OVERHANG}
          height={LABELS + side + 2}
          role="img"
          aria-label={`Strength of association of ${plural(order.length, "column")} with each other; the strongest are listed beside it`}
          onMouseLeave={() => setOver(null)}
        >
          {order.map((i, row) => (
            <g key={i} transform={`translate(${LABELS}, ${LABELS + row * size})`}>
              {(labelled || over?.includes(row)) && (
                <text
                  x={-5}
                  y={size / 2 + 4}
                  textAnchor="end"
                  fontSize={Math.min(12, Math.max(9, size - 1))}
                  fontWeight={over?.includes(row) ? 650 : 400}
                  fill="currentColor"
                >
                  {short(matrix.names[i] ?? "")}
                </text>
              )}
              {order.map((j, column) => {
                const value = matrix.strengths[i]?.[j] ?? null;
                return (
                  <rect
                    key={j}
                    x={column * size}
                    width={Math.max(1, size - (size > 8 ? 1 : 0))}
                    height={Math.max(1, size - (size > 8 ? 1 : 0))}
                    onMouseEnter={() => setOver([row, column])}
                    fill={
                      row === column
                        ? "var(--mui-palette-divider)"
                        : value === null
                          ? "transparent"
                          : value < 0
                            ? "#D55E00"
                            : "#0072B2"
                    }
                    stroke={value === null ? "var(--mui-palette-divider)" : "none"}
                    opacity={row === column || value === null ? 1 : Math.max(0.05, Math.abs(value))}
                  />
                );
              })}
            </g>
          ))}
          {labelled &&
            order.map((i, column) => (
              <text
                key={i}
                transform={`translate(${LABELS + column * size + size / 2 + 4}, ${LABELS - 5}) rotate(-60)`}
                fontSize={Math.min(12, Math.max(9, size - 1))}
                fill="currentColor"
              >
                {short(matrix.names[i] ?? "")}
              </text>
            ))}
        </svg>
        <Box sx={{ minWidth: 250, flex: 1 }}>
          <Typography sx={{ minHeight: 42 }}>
            {at
              ? `${at.one} and ${at.other}: ${at.value === null ? "can't be computed" : said(at)}.`
              : "Point at a square to read it; blue goes together, orange against each other."}
          </Typography>
          <DataTable
            close
            label="The strongest pairs"
            rows={pairs}
            keyOf={(pair) => `${pair.one} ${pair.other}`}
            columns={[
              {
                head: "the strongest pairs",
                cell: (pair) => (
                  <Link to={`?column=${encodeURIComponent(pair.one)}&by=${encodeURIComponent(pair.other)}`}>
                    {pair.one} and {pair.other}
                  </Link>
                ),
              },
              { head: "measure", cell: (pair) => pair.measure },
              { head: "strength", right: true, cell: (pair) => signed(pair.value ?? 0) },
            ]}
          />
          <Typography variant="body2" sx={{ color: "text.secondary", mt: 1, maxWidth: 360 }}>
            r is Pearson's correlation of two numbers, η the correlation ratio of a number and a category, V Cramér's V
            of two categories with Bergsma's correction. Over rows that have both, of {plural(matrix.n, "row")};
            identifiers and ignored columns are left out
            {matrix.left_out
              ? `, and ${plural(matrix.left_out, "column")} beyond the first ${matrix.names.length}`
              : ""}
            . Intervals stand on each column's line.
          </Typography>
        </Box>
      </Box>
    </>
  );
}

function pairAt(matrix: Schemas["MatrixView"], i: number, j: number): Pair {
  return {
    one: matrix.names[i] ?? "",
    other: matrix.names[j] ?? "",
    measure: matrix.measures[i]?.[j] ?? "",
    value: matrix.strengths[i]?.[j] ?? null,
  };
}

function said(pair: Pair): string {
  return `${pair.measure} ${signed(pair.value ?? 0)}`;
}

function signed(value: number): string {
  return value.toFixed(2).replace("-", MINUS);
}

function short(name: string): string {
  return name.length > 19 ? `${name.slice(0, 18)}…` : name;
}
