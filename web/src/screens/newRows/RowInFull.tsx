/** A scored row in full: what each model says of it and which features moved it, then the row's own cells. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { useScoredRow } from "../../api/newRows";
import { Said } from "../../parts/Said";
import { DataTable } from "../../parts/DataTable";
import { count, MINUS } from "../../wording";

interface RowInFullProps {
  caseId: number;
  number: number;
  row: number;
  onClose: () => void;
}

export function RowInFull({ caseId, number, row, onClose }: RowInFullProps) {
  const found = useScoredRow(caseId, number, row);
  const head = useRef<HTMLHeadingElement>(null);
  useEffect(() => head.current?.focus(), [row]);
  return (
    <Box component="section" aria-label={`Row ${row}`} sx={{ border: 1, borderColor: "divider", p: 1.5, my: 1.5 }}>
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography ref={head} tabIndex={-1} component="h3" variant="h2" sx={{ fontSize: "size.head", outline: 0 }}>
          Row {count(row)}
        </Typography>
        <Button onClick={onClose} sx={{ ml: "auto" }}>
          Close the row
        </Button>
      </Box>
      <Said error={found.error} />
      {found.data && (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: "repeat(auto-fit, minmax(290px, 1fr))",
            gap: 3,
            opacity: found.isPlaceholderData ? 0.6 : 1,
          }}
        >
          {found.data.models.map((model) => (
            <OfModel key={model.name} model={model} />
          ))}
          <Box sx={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Its own cells">
            <DataTable
              close
              caption="The row as the file has it"
              rows={found.data.own}
              keyOf={(one) => one.column}
              columns={[{ cell: (one) => one.column, namesRow: true }, { cell: (one) => one.cell ?? "gap" }]}
            />
          </Box>
        </Box>
      )}
    </Box>
  );
}

const MOST = 12;
const SHOWN = ["score", "value", "decision", "low", "high", "set", "outside", "by_itself"];
const HEADS: Record<string, string> = {
  by_itself: "if scaled by the file alone",
  outside: "outside",
  low: "from",
  high: "to",
};

function OfModel({ model }: { model: Schemas["SaidOfRowView"] }) {
  const said = model.said.filter(({ column, cell }) => cell !== null && SHOWN.some((one) => column.startsWith(one)));
  const other = model.said.find(({ column }) => column === "other_decision")?.cell;
  const largest = Math.max(...model.reasons.map((one) => Math.abs(one.by)), 1e-12);
  const shown = model.reasons.slice(0, MOST);
  const rest = model.reasons.slice(MOST).reduce((sum, one) => sum + one.by, 0);
  return (
    <Box>
      <Typography component="h4" sx={{ fontWeight: 600 }}>
        {model.words}
      </Typography>
      <Box sx={{ mb: 1 }}>{said.map(({ column, cell }) => `${HEADS[column] ?? column} ${cell ?? ""}`).join("; ")}</Box>
      {other && (
        <Box sx={{ mb: 1 }}>
          It would be decided otherwise with <strong>{other.split("|").join(" and ")}</strong>.
        </Box>
      )}
      {model.base === null ? (
        <Typography variant="body2" color="text.secondary">
          This row is not explained: the first rows of a file alone are.
        </Typography>
      ) : (
        <Box component="table" aria-label={`Reasons of the ${model.words}`} sx={{ borderSpacing: 0, width: "100%" }}>
          <Box component="caption" sx={{ textAlign: "left", fontSize: "size.note", color: "text.secondary", pb: 0.5 }}>
            {model.scale === "score" ? "What moved the score" : `What moved the ${model.scale} of the score`} from{" "}
            {signed(model.base, false)}, the mean over rows learned from
            {model.exact ? "" : " (drawn orders)"}
          </Box>
          <tbody>
            {shown.map((one) => (
              <tr key={one.feature}>
                <Box component="th" scope="row" sx={{ fontWeight: 400, textAlign: "right", pr: 1, width: "45%" }}>
                  {one.feature}{" "}
                  <Box component="span" sx={{ color: "text.secondary" }}>
                    {one.value ?? "gap"}
                  </Box>
                </Box>
                <Box component="td" aria-hidden sx={{ width: "35%" }}>
                  <Bar by={one.by / largest} />
                </Box>
                <Box component="td" sx={{ textAlign: "right", fontVariantNumeric: "tabular-nums" }}>
                  {signed(one.by)}
                </Box>
              </tr>
            ))}
            {model.reasons.length > MOST && (
              <tr>
                <Box component="th" scope="row" sx={{ fontWeight: 400, textAlign: "right", pr: 1 }}>
                  {model.reasons.length - MOST} more
                </Box>
                <td />
                <Box component="td" sx={{ textAlign: "right" }}>
                  {signed(rest)}
                </Box>
              </tr>
            )}
          </tbody>
        </Box>
      )}
    </Box>
  );
}

/** From the middle to the right where the score rose, to the left where it fell. */
function Bar({ by }: { by: number }) {
  return (
    <Box sx={{ position: "relative", height: 12, borderLeft: 0 }}>
      <Box sx={{ position: "absolute", left: "50%", top: -3, bottom: -3, width: "1px", bgcolor: "divider" }} />
      <Box
        sx={{
          position: "absolute",
          top: 1,
          bottom: 1,
          left: `${by < 0 ? 50 + 50 * by : 50}%`,
          width: `${50 * Math.abs(by)}%`,
          bgcolor: by < 0 ? "brook.ochre" : "primary.main",
        }}
      />
    </Box>
  );
}

function signed(value: number, plus = true): string {
  const written = Math.abs(value).toPrecision(3);
  return `${value < 0 ? MINUS : plus ? "+" : ""}${written}`;
}
