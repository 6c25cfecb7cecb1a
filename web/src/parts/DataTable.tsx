/** Every table: columns that say how a row is written, in the two looks of theme.ts. */
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow, { type TableRowProps } from "@mui/material/TableRow";
import type { KeyboardEvent, ReactNode, Ref } from "react";

export interface TableColumn<Row> {
  head?: ReactNode;
  cell: (row: Row, place: number) => ReactNode;
  right?: boolean | undefined;
  /** The column names its row. */
  namesRow?: boolean;
  sorted?: "ascending" | "descending" | undefined;
  headSx?: object;
  sx?: object | ((row: Row, place: number) => object);
}

interface DataTableProps<Row> {
  columns: readonly TableColumn<Row>[];
  rows: readonly Row[];
  keyOf: (row: Row, place: number) => string | number;
  label?: string;
  caption?: ReactNode;
  /** Close lines for many numbers, room for what is read as a list. */
  close?: boolean;
  /** As wide as its place, or as what it holds. */
  wide?: boolean;
  /** The head stays while the frame around the table is scrolled. */
  staying?: boolean;
  /** What a row does and how it looks beside its cells. */
  row?: (row: Row, place: number) => TableRowProps & { [data: `aria-${string}`]: unknown };
  role?: "grid";
  rowCount?: number;
  onKeyDown?: (event: KeyboardEvent) => void;
  body?: Ref<HTMLTableSectionElement>;
  sx?: object;
}

export function DataTable<Row>({
  columns,
  rows,
  keyOf,
  label,
  caption,
  close = false,
  wide = false,
  staying = false,
  row,
  role,
  rowCount,
  onKeyDown,
  body,
  sx,
}: DataTableProps<Row>) {
  const headed = columns.some((column) => column.head !== undefined);
  return (
    <Table
      size={close ? "small" : "medium"}
      stickyHeader={staying}
      aria-label={label}
      aria-rowcount={rowCount}
      role={role}
      onKeyDown={onKeyDown}
      sx={{ width: wide ? "100%" : "auto", ...sx }}
    >
      {caption !== undefined && <caption>{caption}</caption>}
      {headed && (
        <TableHead>
          <TableRow>
            {columns.map((column, j) =>
              column.head === undefined ? (
                <TableCell key={j} component="td" />
              ) : (
                <TableCell
                  key={j}
                  scope="col"
                  align={column.right ? "right" : "left"}
                  aria-sort={column.sorted}
                  sx={column.headSx ?? {}}
                >
                  {column.head}
                </TableCell>
              ),
            )}
          </TableRow>
        </TableHead>
      )}
      <TableBody ref={body ?? null}>
        {rows.map((one, i) => (
          <TableRow key={keyOf(one, i)} {...row?.(one, i)}>
            {columns.map((column, j) => (
              <TableCell
                key={j}
                align={column.right ? "right" : "left"}
                {...(column.namesRow ? { component: "th", scope: "row" } : {})}
                sx={typeof column.sx === "function" ? column.sx(one, i) : (column.sx ?? {})}
              >
                {column.cell(one, i)}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
