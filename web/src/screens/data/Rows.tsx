/** The rows themselves: a window of them at a time, filtered and sorted by the server, however many there are. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useLayoutEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Where } from "../../api/client";
import { ROWS_AT_ONCE, useRowWindows, type RowsAsked } from "../../api/queries";
import { Fetching, Said } from "../../parts/Said";
import { count, plural } from "../../wording";
import { scrolling, windowsOf } from "./choosing";

const ROW = 26;

export function Rows({ caseId, revision }: { caseId: number; revision: number }) {
  const [address, setAddress] = useSearchParams();
  const asked = askedIn(address);
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
  const windows = useRowWindows(caseId, revision, asked, wanted);
  const known = windows.find((w) => w.data)?.data;
  const error = windows.find((w) => w.error)?.error;
  useLayoutEffect(() => {
    if (known && known.total !== total) setTotal(known.total);
  }, [known, total]);
  const rowAt = (place: number) => {
    const window = windows[wanted.indexOf(Math.floor(place / ROWS_AT_ONCE))]?.data;
    const at = place % ROWS_AT_ONCE;
    return window && window.rows[at] ? { place: window.places[at] ?? 0, cells: window.rows[at] } : null;
  };
  const sortBy = (column: string) => {
    const next = new URLSearchParams(address);
    const falling = address.get("sort") === column && address.get("falling") === null;
    next.set("sort", column);
    if (falling) next.set("falling", "yes");
    else next.delete("falling");
    if (address.get("sort") === column && address.get("falling")) next.delete("sort");
    setAddress(next);
    frame.current?.scrollTo({ top: 0 });
  };
  const showAll = () => {
    const next = new URLSearchParams(address);
    next.delete("where");
    setAddress(next);
  };
  const columns = known?.columns ?? [];
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: 0, flex: 1 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", minHeight: 30 }}>
        <Typography>
          {known ? `${asked.where ? `${count(known.total)} of ${plural(known.of, "row")}: ${inWords(asked.where)}` : plural(known.total, "row")}` : "…"}
          {asked.sort ? `, by ${asked.sort}${asked.falling ? ", falling" : ""}` : ""}.
        </Typography>
        {asked.where && <Button onClick={showAll}>Show all rows</Button>}
      </Box>
      <Said error={error} />
      {!known && !error && <Fetching what="the rows" />}
      <Box
        ref={frame}
        role="region"
        aria-label="Rows"
        tabIndex={0}
        onScroll={(event) => setTop(event.currentTarget.scrollTop)}
        sx={{ flex: 1, minHeight: 200, overflow: "auto", border: 1, borderColor: "divider", position: "relative" }}
      >
        <Box sx={{ height: height + ROW, minWidth: "max-content", position: "relative" }}>
          <Box component="table" aria-rowcount={total} sx={{ position: "sticky", top: 0, borderCollapse: "collapse", fontSize: 12.5, tableLayout: "auto" }}>
            <thead>
              <tr style={{ height: ROW }}>
                <Th>row</Th>
                {columns.map((column) => (
                  <Th key={column} sorted={asked.sort === column ? (asked.falling ? "descending" : "ascending") : undefined}>
                    <button onClick={() => sortBy(column)} style={{ font: "inherit", fontWeight: 600, border: 0, background: "none", color: "inherit", cursor: "pointer", padding: 0, minHeight: 24 }}>
                      {column}{asked.sort === column ? (asked.falling ? " ↓" : " ↑") : ""}
                    </button>
                  </Th>
                ))}
              </tr>
            </thead>
            <tbody>
              {Array.from({ length: Math.max(0, Math.min(visible - 1, total - first)) }, (_, i) => {
                const row = rowAt(first + i);
                return (
                  <tr key={first + i} aria-rowindex={first + i + 1} style={{ height: ROW }}>
                    <Td muted>{row ? count(row.place) : "…"}</Td>
                    {columns.map((column, j) => <Td key={column} muted={row?.cells[j] === null}>{row ? (row.cells[j] ?? "gap") : ""}</Td>)}
                  </tr>
                );
              })}
            </tbody>
          </Box>
        </Box>
      </Box>
    </Box>
  );
}

function Th({ children, sorted }: { children: React.ReactNode; sorted?: "ascending" | "descending" }) {
  return (
    <Box component="th" scope="col" aria-sort={sorted} sx={{ textAlign: "left", px: 1, borderBottom: 1, borderColor: "text.primary", bgcolor: "background.default", position: "sticky", top: 0, whiteSpace: "nowrap" }}>
      {children}
    </Box>
  );
}

function Td({ children, muted }: { children: React.ReactNode; muted?: boolean }) {
  return (
    <Box component="td" sx={{ px: 1, borderBottom: 1, borderColor: "divider", whiteSpace: "nowrap", maxWidth: 220, overflow: "hidden", textOverflow: "ellipsis", color: muted ? "text.secondary" : "text.primary" }}>
      {children}
    </Box>
  );
}

function askedIn(address: URLSearchParams): RowsAsked {
  const where = address.get("where");
  return { where: where ? (JSON.parse(where) as Where) : null, sort: address.get("sort"), falling: address.get("falling") !== null };
}

/** The filter as a sentence's end. */
export function inWords(where: Where): string {
  switch (where.kind) {
    case "gaps":
      return `a gap in ${where.columns.length > 3 ? `one of ${where.columns.length} columns` : where.columns.join(" or ")}`;
    case "says":
      return `${where.column} says ${where.words.map((w) => `'${w}'`).join(" or ")}`;
    case "between":
      return `${where.column} between ${where.low ?? "the least"} and ${where.high ?? "the most"}`;
    case "alike":
      return where.but ? `the same in ${where.columns.length} columns, and another ${where.but}` : `the same in ${where.columns.length} columns`;
    case "in_two_parts":
      return `a ${where.column} that stands in more than one part`;
    default:
      return "as asked for";
  }
}
