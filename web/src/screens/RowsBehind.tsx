/** The rows behind a cell of a matrix or a bin of a chart, with what the model said of each; as a file too. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { useBehindWindows } from "../api/queries";
import { addressOf, behindIn, type Behind } from "../charts/rowsBehind";
import { useTheCase } from "../frame/CaseFrame";
import { RowWindow } from "../parts/RowWindow";
import { useSorting } from "../parts/sorting";
import { count } from "../wording";

export function RowsBehind() {
  const { theCase } = useTheCase();
  const [address] = useSearchParams();
  const behind = behindIn(address);
  const exhibit = address.get("exhibit");
  const back = `/cases/${theCase.id}/evidence${exhibit ? `?exhibit=${exhibit}` : ""}`;
  return (
    <Box sx={{ px: 3, py: 1.5, display: "flex", flexDirection: "column", height: "100%", boxSizing: "border-box" }}>
      <Typography variant="body2">
        <Link to={back}>{exhibit ? `Back to exhibit ${exhibit}` : "Back to the evidence"}</Link>
      </Typography>
      {behind ? (
        <Found caseId={theCase.id} behind={behind} />
      ) : (
        <Typography>This address names no rows. Open them from a cell or a bin of an exhibit.</Typography>
      )}
    </Box>
  );
}

function Found({ caseId, behind }: { caseId: number; behind: Behind }) {
  const { sorting, sort } = useSorting();
  const asked = { behind, sort: sorting.column, falling: sorting.falling };
  const file = (form: "csv" | "parquet") => `/api/cases/${caseId}/behind/${form}?${addressOf(behind)}`;
  const useWindows = (windows: number[]) => useBehindWindows(caseId, asked, windows);
  return (
    <RowWindow
      label="Rows behind it"
      sorting={sorting}
      onSort={sort}
      useWindows={useWindows}
      apart={(known) => known.said}
      head={(known) => (
        <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", py: 0.5 }}>
          <Typography component="h2" variant="h2" sx={{ fontSize: "size.head" }}>
            {known ? `${count(known.total)} of ${count(known.of)} rows: ${known.title}` : "…"}
            {sorting.column ? `; by ${sorting.column}${sorting.falling ? ", falling" : ""}` : ""}
          </Typography>
          {known && (
            <Box sx={{ ml: "auto", display: "flex", gap: 2, fontSize: "size.text", whiteSpace: "nowrap" }}>
              <a href={file("csv")} download>
                Save as CSV
              </a>
              <a href={file("parquet")} download>
                Save as Parquet
              </a>
            </Box>
          )}
        </Box>
      )}
    />
  );
}
