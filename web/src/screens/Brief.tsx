/** What the owner says: purpose, use, claims beside their recomputed values, recipe in words, files. */
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Case } from "../api/client";
import { useTheCase } from "../frame/CaseFrame";
import { SERIF } from "../theme";
import { count, interval, measure, plural } from "../wording";

const VERDICTS: Record<string, string> = { cannot_be_checked: "can't be checked" };

export function Brief() {
  const { theCase } = useTheCase();
  const { model, artifact } = theCase.submission;
  return (
    <Box sx={{ p: 3, maxWidth: 940 }}>
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, mb: 1.5 }}>
        {model.purpose}.
      </Typography>
      <Facts
        rows={[
          ["Used", model.use ?? "The brief does not say how it is used."],
          ["Population", model.population ?? "The brief does not say for whom."],
          ["Built by", `${model.owner}; submitted by ${theCase.owner}`],
          ["Recipe", theCase.recipe_words ?? "None: nothing can be refitted."],
          ["Artefact", artifact ? artifact.path : "None was sent."],
          ["Data", `${plural(theCase.n_rows, "row")}`],
        ]}
      />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Claims
      </Typography>
      {theCase.claims.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>The owner claims no figure.</Typography>
      ) : (
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>measure</TableCell>
              <TableCell>on</TableCell>
              <TableCell align="right">claimed</TableCell>
              <TableCell align="right">recomputed</TableCell>
              <TableCell align="right">n</TableCell>
              <TableCell>verdict</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {theCase.claims.map((claim, i) => (
              <TableRow key={i}>
                <TableCell>{measure(claim.measure)}</TableCell>
                <TableCell>{claim.where}</TableCell>
                <TableCell align="right">{claim.claimed}</TableCell>
                <TableCell align="right">
                  {claim.value === null
                    ? "not yet run"
                    : interval({ value: claim.value, low: claim.low, high: claim.high })}
                </TableCell>
                <TableCell align="right">{claim.n === null ? "" : count(claim.n)}</TableCell>
                <TableCell sx={claim.verdict === "overstated" ? { color: "brook.brick", fontWeight: 550 } : {}}>
                  {claim.verdict ? (VERDICTS[claim.verdict] ?? claim.verdict) : ""}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {theCase.since && <Since since={theCase.since} />}
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Files
      </Typography>
      <Table size="small">
        <TableBody>
          {theCase.files.map((file) => (
            <TableRow key={file.path}>
              <TableCell>{file.path}</TableCell>
              <TableCell align="right">{count(file.size)} bytes</TableCell>
              <TableCell sx={{ fontSize: "size.note", color: "text.secondary", wordBreak: "break-all" }}>
                SHA-256 {file.sha256}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Typography variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
        Package {theCase.package_sha256}
      </Typography>
      {theCase.previous.length > 0 && (
        <>
          <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
            Other versions
          </Typography>
          {theCase.previous.map((other) => (
            <Box key={other.id}>
              <Link to={`/cases/${other.id}/brief`}>
                {other.model} {other.version}
              </Link>
              , {other.stands}
            </Box>
          ))}
        </>
      )}
    </Box>
  );
}

const ABOUT = ["model", "files", "data", "roles", "recipe", "claims"];

function Since({ since }: { since: NonNullable<Case["since"]> }) {
  const rows = ABOUT.map((about): [string, string] => [
    about.slice(0, 1).toUpperCase() + about.slice(1),
    since.changes
      .filter((c) => c.about === about)
      .map((c) => c.words)
      .join("; "),
  ]);
  return (
    <section aria-label="What changed">
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        What changed since <Link to={`/cases/${since.case_id}/brief`}>version {since.version}</Link>
      </Typography>
      {since.changes.length === 0 ? (
        <Typography>Nothing but the version.</Typography>
      ) : (
        <Facts rows={rows.filter(([, words]) => words)} />
      )}
    </section>
  );
}

function Facts({ rows }: { rows: [string, string][] }) {
  return (
    <Box component="dl" sx={{ m: 0, display: "grid", gridTemplateColumns: "110px 1fr", rowGap: 0.75 }}>
      {rows.map(([name, words]) => (
        <Box key={name} sx={{ display: "contents" }}>
          <Box component="dt" sx={{ color: "text.secondary" }}>
            {name}
          </Box>
          <Box component="dd" sx={{ m: 0 }}>
            {words}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
