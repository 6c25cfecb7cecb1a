/** The report: the same pages as the PDF, to read and to download. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useDecision } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";

export function Report() {
  const { theCase } = useTheCase();
  const hashes = useDecision(theCase.id).data?.reports ?? {};
  const address = (form: string) => `/api/cases/${theCase.id}/report/${form}`;
  const name = `${theCase.model} ${theCase.version}`.replaceAll(" ", "-").toLowerCase();
  return (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%" }}>
      <Box
        sx={{ px: 3, py: 1, display: "flex", gap: 2, alignItems: "baseline", borderBottom: 1, borderColor: "divider" }}
      >
        <Typography variant="h2">{theCase.state === "decided" ? "Signed report" : "Draft of the report"}</Typography>
        <a href={address("pdf")} download={`${name}.pdf`}>
          PDF
        </a>
        <a href={address("html")} download={`${name}.html`}>
          HTML
        </a>
        <a href={address("json")} download={`${name}-evidence.json`}>
          Evidence, JSON
        </a>
        <Typography variant="body2" sx={{ color: "text.secondary", ml: "auto" }}>
          {hashes.pdf ? `PDF SHA-256 ${hashes.pdf.slice(0, 24)}…` : "Not signed: made anew at each reading."}
        </Typography>
      </Box>
      <Box
        component="iframe"
        title="Report"
        src={address("html")}
        sx={{ flex: 1, border: 0, width: "100%", bgcolor: "white" }}
      />
    </Box>
  );
}
