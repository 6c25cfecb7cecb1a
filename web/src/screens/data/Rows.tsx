/** The rows themselves: a window of them at a time, filtered and sorted by the server, however many there are. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import type { Where } from "../../api/client";
import { useRowWindows, type RowsAsked } from "../../api/queries";
import { RowWindow } from "../../parts/RowWindow";
import { useSorting } from "../../parts/sorting";
import { count, plural } from "../../wording";
import { addressNow } from "../../parts/address";

export function Rows({ caseId, revision }: { caseId: number; revision: number }) {
  const [address, setAddress] = useSearchParams();
  const asked = askedIn(address);
  const { sorting, sort } = useSorting();
  const showAll = () => {
    const next = addressNow();
    next.delete("where");
    setAddress(next);
  };
  const useWindows = (windows: number[]) => useRowWindows(caseId, revision, asked, windows);
  return (
    <RowWindow
      label="Rows"
      sorting={sorting}
      onSort={sort}
      useWindows={useWindows}
      head={(known) => (
        <Box sx={{ display: "flex", gap: 2, alignItems: "center", minHeight: 30 }}>
          <Typography>
            {known
              ? `${asked.where ? `${count(known.total)} of ${plural(known.of, "row")}: ${inWords(asked.where)}` : plural(known.total, "row")}`
              : "…"}
            {asked.sort ? `, by ${asked.sort}${asked.falling ? ", falling" : ""}` : ""}.
          </Typography>
          {asked.where && <Button onClick={showAll}>Show all rows</Button>}
        </Box>
      )}
    />
  );
}

function askedIn(address: URLSearchParams): RowsAsked {
  const where = address.get("where");
  return {
    where: where ? (JSON.parse(where) as Where) : null,
    sort: address.get("sort"),
    falling: address.get("falling") !== null,
  };
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
      return where.but
        ? `the same in ${where.columns.length} columns, and another ${where.but}`
        : `the same in ${where.columns.length} columns`;
    case "in_two_parts":
      return `a ${where.column} that stands in more than one part`;
    default:
      return "as asked for";
  }
}
