/** A file of new rows: what the models make of it, what has to be known to read that, the rows themselves. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { isGoing, useCancelScoring, useScoredWindows, type Only, type Scoring } from "../../api/newRows";
import { useKeys } from "../../frame/keys";
import { addressNow } from "../../parts/address";
import { InlineChoice } from "../../parts/Inline";
import { Named } from "../../parts/MethodLink";
import { Kbd } from "../../parts/Kbd";
import { RowWindow } from "../../parts/RowWindow";
import { Said } from "../../parts/Said";
import { useSorting } from "../../parts/sorting";
import { SERIF } from "../../theme";
import { count, moment, percent, plural } from "../../wording";
import { Content } from "../Content";
import { addressOfRows } from "../findings/written";
import { RowInFull } from "./RowInFull";

interface ScoredFileProps {
  caseId: number;
  scoring: Scoring;
  may: boolean;
  /** Whether the person may write a finding of the case. */
  writes: boolean;
  models: Schemas["AskableModelView"][];
}

export function ScoredFile({ caseId, scoring, may, writes, models }: ScoredFileProps) {
  const cancel = useCancelScoring(caseId);
  const [asTables, setAsTables] = useState(false);
  const { result } = scoring;
  useKeys([{ keys: "t", does: "show tables, or pictures again", act: () => setAsTables(!asTables) }]);
  const named = (name: string) => models.find((one) => one.name === name)?.words ?? name;
  const by = result ? result.models.map((one) => one.words) : scoring.models.map(named);
  return (
    <>
      <Typography
        component="h2"
        variant="h2"
        sx={{ fontSize: "size.lead", fontWeight: 500, color: "text.secondary", overflowWrap: "anywhere" }}
      >
        {scoring.file}
        {result ? `, ${plural(result.rows, "row")}` : ""}, by {by.join(", ")}
      </Typography>
      {isGoing(scoring) ? (
        <Box role="status" sx={{ my: 2, maxWidth: 480 }}>
          <LinearProgress variant="determinate" value={100 * scoring.share} aria-label="Rows being scored" />
          <Box sx={{ display: "flex", gap: 2, alignItems: "center", mt: 0.5 }}>
            {scoring.doing}
            {may && (
              <Button disabled={cancel.isPending} onClick={() => cancel.mutate(scoring.number)}>
                Cancel
              </Button>
            )}
          </Box>
        </Box>
      ) : (
        <Typography
          sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, fontWeight: 470, my: 1, maxWidth: 760 }}
        >
          <Named text={scoring.said} />
        </Typography>
      )}
      {may && writes && result && (
        <Button
          variant="outlined"
          component={Link}
          to={`/cases/${caseId}/findings?${addressOfRows(scoring.number)}`}
          sx={{ mb: 1 }}
        >
          Write a finding
        </Button>
      )}
      <Said error={cancel.error} />
      {scoring.changed_since && (
        <Typography sx={{ color: "brook.ochre", mb: 1 }}>
          The case’s rows, roles or threshold were changed since; score the file again to see what that does.
        </Typography>
      )}
      {result && (
        <>
          <Box component="ul" aria-label="To be known" sx={{ mt: 0, mb: 1.5, pl: 2.5, maxWidth: 760 }}>
            {result.remarks.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </Box>
          <Rows caseId={caseId} scoring={scoring} result={result} />
          {result.charts.length > 0 && (
            <Button aria-pressed={asTables} onClick={() => setAsTables(!asTables)} sx={{ my: 1, ml: -1 }}>
              {asTables ? "As pictures" : "As tables"}&nbsp; <Kbd>t</Kbd>
            </Button>
          )}
          <Content
            charts={result.charts}
            series={result.series}
            tables={result.tables}
            estimates={result.estimates}
            asTables={asTables}
          />
        </>
      )}
      <Typography variant="body2" color="text.secondary" sx={{ mt: 2, maxWidth: 760, overflowWrap: "anywhere" }}>
        Asked for by {scoring.by}, {moment(scoring.asked)}; sets and intervals for {percent(scoring.coverage)} of rows.
        {result?.method.map((line) => ` ${line}`)} The file’s SHA-256 is {scoring.sha256}.
      </Typography>
    </>
  );
}

const KINDS: readonly (readonly [Only, string])[] = [
  ["all", "all rows"],
  ["differ", "rows on which models differ"],
  ["outside", "rows outside what was learned from"],
  ["unsure", "rows with several classes in a set"],
  ["changed", "rows decided otherwise if scaled by themselves"],
  ["wrong", "rows decided wrongly"],
];

function Rows({ caseId, scoring, result }: { caseId: number; scoring: Scoring; result: Schemas["ScoringResult"] }) {
  const [address, setAddress] = useSearchParams();
  const { sorting, sort } = useSorting();
  const open = Number(address.get("row")) || null;
  const only = KINDS.find(([kind]) => kind === address.get("only"))?.[0] ?? "all";
  const asked = { only, sort: sorting.column, falling: sorting.falling };
  const file = (form: string) => `/api/cases/${caseId}/new-rows/${scoring.number}/${form}`;
  const useWindows = (windows: number[]) => useScoredWindows(caseId, scoring.number, asked, windows);
  const choose = (kind: Only) => {
    const next = addressNow();
    if (kind === "all") next.delete("only");
    else next.set("only", kind);
    setAddress(next, { replace: true });
  };
  const show = (row: number | null) => {
    const next = addressNow();
    if (row === null) next.delete("row");
    else next.set("row", String(row));
    setAddress(next, { replace: true });
  };
  return (
    <>
      <Box
        component="section"
        aria-label="The rows"
        sx={{ display: "flex", flexDirection: "column", height: Math.min(460, 96 + 26 * Math.max(5, result.rows)) }}
      >
        <RowWindow
          key={only}
          label="Scored rows"
          sorting={sorting}
          onSort={sort}
          useWindows={useWindows}
          apart={(known) => known.said}
          onOpen={show}
          open={open}
          head={(known) => (
            <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", flexWrap: "wrap", py: 0.5 }}>
              <Typography component="h3" variant="h2" sx={{ fontSize: "size.head" }}>
                <InlineChoice
                  name="Which rows"
                  value={only}
                  disabled={false}
                  options={KINDS.filter(
                    ([kind]) => kind === "all" || kind === only || (known?.counts[kind] ?? 0) > 0,
                  ).map(
                    ([kind, words]) => [kind, known ? `${words} (${count(known.counts[kind] ?? 0)})` : words] as const,
                  )}
                  onSet={choose}
                />
                {sorting.column ? ` by ${sorting.column}${sorting.falling ? ", falling" : ""}` : ""}
              </Typography>
              <Box sx={{ ml: "auto", display: "flex", gap: 2, fontSize: "size.text", whiteSpace: "nowrap" }}>
                {[
                  ["csv", "CSV"],
                  ["xlsx", "XLSX"],
                  ["parquet", "Parquet"],
                ].map(([form, words]) => (
                  <a key={form} href={file(form ?? "")} download>
                    Save {count(result.rows)} as {words}
                  </a>
                ))}
              </Box>
            </Box>
          )}
        />
      </Box>
      {open !== null && <RowInFull caseId={caseId} number={scoring.number} row={open} onClose={() => show(null)} />}
    </>
  );
}
