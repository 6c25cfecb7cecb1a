/** A long list of rows as a table: the window that is seen is fetched, however many rows there are. */
import Box from "@mui/material/Box";
import { useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { count } from "../wording";
import { DataTable, type TableColumn } from "./DataTable";
import { Fetching, Said } from "./Said";
import { ROWS_AT_ONCE, scrolling, windowsOf } from "./scrolling";

const ROW = 26;

export interface WindowOfRows {
  total: number;
  columns: string[];
  places: number[];
  rows: (string | null)[][];
}

interface Fetched<T> {
  data: T | undefined;
  error: Error | null;
}

export interface Sorting {
  column: string | null;
  falling: boolean;
}

interface RowWindowProps<T extends WindowOfRows> {
  label: string;
  sorting: Sorting;
  onSort: (sorting: Sorting) => void;
  /** The windows of these numbers, each of ROWS_AT_ONCE rows. */
  useWindows: (windows: number[]) => Fetched<T>[];
  head: (known: T | undefined) => ReactNode;
  /** How many columns at the left are set apart from the others; these are not the rows' own, and have no gaps. */
  apart?: (known: T) => number;
  /** What a row does when its number is pressed, and the number of the one that is open. */
  onOpen?: (place: number) => void;
  open?: number | null;
}

export function RowWindow<T extends WindowOfRows>({
  label,
  sorting,
  onSort,
  useWindows,
  head,
  apart,
  onOpen,
  open,
}: RowWindowProps<T>) {
  const frame = useRef<HTMLDivElement>(null);
  const [viewHeight, setViewHeight] = useState(480);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    if (!frame.current) return;
    const watch = new ResizeObserver(([entry]) => entry && setViewHeight(entry.contentRect.height));
    watch.observe(frame.current);
    return () => watch.disconnect();
  }, []);
  const [total, setTotal] = useState(0);
  const visible = Math.ceil(viewHeight / ROW);
  const { height, firstAt } = scrolling(total, ROW, viewHeight - ROW);
  const first = firstAt(top);
  const wanted = windowsOf(first, visible, ROWS_AT_ONCE, total);
  const windows = useWindows(wanted);
  const known = windows.find((w) => w.data)?.data;
  const error = windows.find((w) => w.error)?.error ?? null;
  useLayoutEffect(() => {
    if (known && known.total !== total) setTotal(known.total);
  }, [known, total]);
  const rowAt = (place: number): Placed | null => {
    const window = windows[wanted.indexOf(Math.floor(place / ROWS_AT_ONCE))]?.data;
    const at = place % ROWS_AT_ONCE;
    return window && window.rows[at] ? { place: window.places[at] ?? 0, cells: window.rows[at] } : null;
  };
  const sortBy = (column: string) => {
    const same = sorting.column === column;
    onSort({ column: same && sorting.falling ? null : column, falling: same && !sorting.falling });
    frame.current?.scrollTo({ top: 0 });
  };
  const columns = known?.columns ?? [];
  const set = known && apart ? apart(known) : 0;
  const edge = (j: number) => (j === set - 1 ? { borderRight: 1, borderRightColor: "text.secondary" } : {});
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: 0, flex: 1 }}>
      {head(known)}
      <Said error={error} />
      {!known && !error && <Fetching what="the rows" />}
      <Box
        ref={frame}
        role="region"
        aria-label={label}
        tabIndex={0}
        onScroll={(event) => setTop(event.currentTarget.scrollTop)}
        sx={{ flex: 1, minHeight: 200, overflow: "auto", border: 1, borderColor: "divider", position: "relative" }}
      >
        <Box sx={{ height: height + ROW, minWidth: "max-content", position: "relative" }}>
          <DataTable
            close
            staying
            label={label}
            rowCount={total}
            rows={Array.from({ length: Math.max(0, Math.min(visible - 1, total - first)) }, (_, i) => rowAt(first + i))}
            keyOf={(_, i) => first + i}
            row={(row, i) => ({
              "aria-rowindex": first + i + 1,
              style: { height: ROW },
              selected: row !== null && row.place === open,
            })}
            columns={[
              {
                head: "row",
                sx: { color: "text.secondary" },
                cell: (row) => (row ? <Place place={row.place} onOpen={onOpen} /> : "…"),
              },
              ...columns.map((column, j): TableColumn<Placed | null> => {
                const sorted = sorting.column !== column ? undefined : sorting.falling ? "descending" : "ascending";
                return {
                  sorted,
                  headSx: edge(j),
                  head: (
                    <SortButton onClick={() => sortBy(column)}>
                      {column}
                      {sorted ? (sorting.falling ? " ↓" : " ↑") : ""}
                    </SortButton>
                  ),
                  cell: (row) =>
                    row ? <span title={row.cells[j] ?? undefined}>{row.cells[j] ?? (j < set ? "–" : "gap")}</span> : "",
                  sx: (row) => ({ ...edge(j), color: row?.cells[j] === null ? "text.secondary" : "text.primary" }),
                };
              }),
            ]}
            sx={{
              position: "sticky",
              top: 0,
              "& td, & th": {
                px: 1,
                py: 0,
                whiteSpace: "nowrap",
                maxWidth: 220,
                overflow: "hidden",
                textOverflow: "ellipsis",
              },
            }}
          />
        </Box>
      </Box>
    </Box>
  );
}

interface Placed {
  place: number;
  cells: (string | null)[];
}

function Place({ place, onOpen }: { place: number; onOpen: ((place: number) => void) | undefined }) {
  if (!onOpen) return count(place);
  return (
    <PlainButton onClick={() => onOpen(place)} label={`Row ${place} in full`}>
      <span style={{ textDecoration: "underline" }}>{count(place)}</span>
    </PlainButton>
  );
}

function SortButton({ children, onClick }: { children: ReactNode; onClick: () => void }) {
  return <PlainButton onClick={onClick}>{children}</PlainButton>;
}

function PlainButton({ children, onClick, label }: { children: ReactNode; onClick: () => void; label?: string }) {
  return (
    <button
      onClick={onClick}
      aria-label={label}
      style={{
        font: "inherit",
        fontWeight: label ? "inherit" : 600,
        border: 0,
        background: "none",
        color: "inherit",
        cursor: "pointer",
        padding: 0,
        minHeight: 24,
      }}
    >
      {children}
    </button>
  );
}
