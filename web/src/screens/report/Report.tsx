/** The report: the same pages as the PDF, to read and to download. A worker makes them; this tells how far it is. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { fileOf, orderOf, useAskReport, useReport, type Order } from "../../api/report";
import { useTheCase } from "../../frame/CaseFrame";
import { Said } from "../../parts/Said";
import { moment } from "../../wording";
import { OrderBar } from "./OrderBar";

export function Report() {
  const [search, setSearch] = useSearchParams();
  const order = orderOf(search);
  return (
    <OrderedPages key={search.toString()} order={order} onOrder={(next) => setSearch(next as Record<string, string>)} />
  );
}

function OrderedPages({ order, onOrder }: { order: Order; onOrder: (order: Order) => void }) {
  const { theCase } = useTheCase();
  const found = useReport(theCase.id, order);
  const ask = useAskReport(theCase.id, order);
  const report = found.data;
  const shown = report?.shown ?? null;
  const current = report?.current ?? null;
  const nothingYet = report !== undefined && shown === null && current === null;
  const { mutate, isIdle } = ask;
  useEffect(() => {
    if (nothingYet && isIdle) mutate();
  }, [nothingYet, isIdle, mutate]);

  const address = (form: "html" | "pdf" | "json" | "statement") => fileOf(theCase.id, order, form);
  const name = `${theCase.model} ${theCase.version}`.replaceAll(" ", "-").toLowerCase();
  const pages = current?.html_sha256 ? current : shown;
  return (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%" }}>
      <Box
        sx={{
          px: 3,
          py: 1,
          display: "flex",
          flexWrap: "wrap",
          columnGap: 2,
          alignItems: "baseline",
          borderBottom: 1,
          borderColor: "divider",
        }}
      >
        <Typography variant="h2">{report?.signed ? "Signed report" : "Draft of the report"}</Typography>
        {shown?.pdf_sha256 && (
          <a href={address("pdf")} download={`${name}.pdf`}>
            PDF
          </a>
        )}
        {pages && (
          <a href={address("html")} download={`${name}.html`}>
            HTML
          </a>
        )}
        <a href={address("json")} download={`${name}-evidence.json`}>
          Evidence, JSON
        </a>
        {report?.statement_sha256 && (
          <a href={address("statement")} download={`${name}-statement.json`}>
            Statement, JSON
          </a>
        )}
        <a
          href={`/api/cases/${theCase.id}/bundle`}
          download
          title="What was submitted, the plan, the evidence, what was signed, and the record of it; 'brookfall verify' checks it without a server"
        >
          Evidence bundle
        </a>
        <Typography variant="body2" sx={{ color: "text.secondary", ml: "auto" }}>
          {report && whatIsShown(report)}
        </Typography>
        {report && (
          <Box sx={{ width: "100%", pt: 0.75 }}>
            <OrderBar report={report} order={order} onOrder={onOrder} />
          </Box>
        )}
        <Progress report={report} onAsk={() => mutate()} asking={ask.isPending} />
        <Said error={ask.error ?? found.error} />
      </Box>
      {pages && (
        <Box
          key={pages.html_sha256}
          component="iframe"
          title="Report"
          src={address("html")}
          sx={{ flex: 1, border: 0, width: "100%", bgcolor: "white" }}
        />
      )}
    </Box>
  );
}

function whatIsShown({ signed, statement_sha256, shown }: Schemas["ReportView"]): string {
  if (shown === null) return "";
  if (!signed) return `Rendered ${moment(shown.finished ?? shown.asked)}. Not signed.`;
  const statement = statement_sha256 ? `Statement ${statement_sha256.slice(0, 16)}…, ` : "";
  return `SHA-256: ${statement}PDF ${(shown.pdf_sha256 ?? "").slice(0, 16)}…`;
}

interface ProgressProps {
  report: Schemas["ReportView"] | undefined;
  onAsk: () => void;
  asking: boolean;
}

/** How far the pages are; that they are of an earlier state of the case; or why there are none. */
function Progress({ report, onAsk, asking }: ProgressProps) {
  if (!report) return null;
  const { current, shown } = report;
  const again = (words: string) => (
    <Button variant="outlined" disabled={asking} onClick={onAsk}>
      {words}
    </Button>
  );
  const row = { display: "flex", gap: 1.5, alignItems: "center", width: "100%", py: 0.5 };
  if (current?.state === "failed")
    return (
      <Box role="status" sx={{ ...row, color: "brook.brick" }}>
        {current.said} {again("Try again")}
      </Box>
    );
  if (current?.state === "waiting" || current?.state === "leased")
    return (
      <Box role="status" sx={row}>
        <LinearProgress
          variant={current.needed ? "determinate" : "indeterminate"}
          aria-label="Report made"
          value={current.needed ? (100 * current.done) / current.needed : 0}
          sx={{ width: 120 }}
        />
        {current.state === "waiting"
          ? "Waiting for a worker"
          : current.done + 1 < current.needed
            ? `Drawing charts, ${current.done + 1} of ${current.needed - 1} exhibits`
            : current.html_sha256
              ? "Laying out the PDF"
              : "Putting the pages together"}
      </Box>
    );
  if (current === null && shown !== null)
    return (
      <Box role="status" sx={{ ...row, color: "text.secondary" }}>
        The case has changed since. {again("Render it anew")}
      </Box>
    );
  return null;
}
