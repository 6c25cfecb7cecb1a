/** The statement that reviewer and countersigner sign: what a decision goes over, and by hash what it rests on. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/client";

interface SignedStatementProps {
  caseId: number;
  statement: Schemas["DecisionStatement"];
  sha256: string;
}

export function SignedStatement({ caseId, statement, sha256 }: SignedStatementProps) {
  const rests = [
    ["Package", statement.package],
    ["Plan", statement.plan],
    ["Evidence file", statement.evidence],
    ["Findings", statement.findings],
    ["Facts of the case", statement.case],
  ] as const;
  return (
    <Box component="section" aria-label="What is signed" sx={{ mb: 2, maxWidth: 760 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What is signed
      </Typography>
      {statement.over.length > 0 && (
        <>
          <Typography>It is approved over this:</Typography>
          <Box component="ul" sx={{ mt: 0.5, mb: 1, pl: 2.5 }}>
            {statement.over.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </Box>
        </>
      )}
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        Frozen when it was proposed. <a href={`/api/cases/${caseId}/report/statement`}>The statement</a> names all that
        the decision rests on by its SHA-256, and is signed by its own:
      </Typography>
      <Box
        component="dl"
        sx={{ display: "grid", gridTemplateColumns: "140px 1fr", gap: 0.25, m: 0, mt: 0.5, fontSize: "size.cell" }}
      >
        <dt>Statement</dt>
        <Hash of={sha256} />
        {rests.map(([name, hash]) => (
          <Box key={name} sx={{ display: "contents" }}>
            <Box component="dt" sx={{ color: "text.secondary" }}>
              {name}
            </Box>
            <Hash of={hash} />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function Hash({ of }: { of: string }) {
  return (
    <Box component="dd" sx={{ m: 0, fontFamily: "monospace", overflowWrap: "anywhere" }}>
      {of}
    </Box>
  );
}
