/** What the owner says: purpose, use, claims beside their recomputed values, recipe in words, files. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Case } from "../api/client";
import { useTheCase } from "../frame/CaseFrame";
import { DataTable, type TableColumn } from "../parts/DataTable";
import { FileLink } from "../parts/FileLink";
import { MeasureLink } from "../parts/MethodLink";
import { Tally } from "../marks/Tally";
import { SERIF } from "../theme";
import { AskOwner } from "./questions/AskOwner";
import { Questions } from "./questions/Questions";
import { conditionState, count, day, findingState, interval, measure, plural } from "../wording";

const VERDICTS: Record<string, string> = {
  cannot_be_checked: "can't be checked",
  not_reproduced: "not reproduced",
};

export function Brief() {
  const { theCase } = useTheCase();
  const { model, artifact } = theCase.submission;
  return (
    <Box sx={{ p: 3, maxWidth: 940 }}>
      <Carried theCase={theCase} />
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
      <Questions caseId={theCase.id} />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Claims
      </Typography>
      {theCase.claims.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>The owner claims no figure.</Typography>
      ) : (
        <DataTable
          wide
          label="Claims"
          rows={theCase.claims}
          keyOf={(_, i) => i}
          columns={[
            { head: "measure", cell: (claim) => <MeasureLink name={claim.measure} /> },
            { head: "on", cell: (claim) => claim.where },
            { head: "claimed", right: true, cell: (claim) => claim.claimed },
            {
              head: "recomputed",
              right: true,
              cell: (claim) =>
                claim.value === null
                  ? "not yet run"
                  : interval({ value: claim.value, low: claim.low, high: claim.high }),
            },
            { head: "n", right: true, cell: (claim) => (claim.n === null ? "" : count(claim.n)) },
            {
              head: "verdict",
              sx: (claim) =>
                claim.verdict === "overstated" || claim.verdict === "not_reproduced"
                  ? { color: "brook.brick", fontWeight: 550 }
                  : {},
              cell: (claim) => (claim.verdict ? (VERDICTS[claim.verdict] ?? claim.verdict) : ""),
            },
            ...(theCase.may.review ? [asking(theCase.id)] : []),
          ]}
        />
      )}
      {theCase.graph.length > 0 && <FittedModel theCase={theCase} />}
      {theCase.since && <Since theCase={theCase} since={theCase.since} />}
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Files
      </Typography>
      <DataTable
        wide
        label="Files"
        rows={theCase.files}
        keyOf={(file) => file.path}
        columns={[
          {
            cell: (file) =>
              theCase.rows_taken ? (
                file.path
              ) : (
                <FileLink
                  path={file.path}
                  address={`/api/cases/${theCase.id}/submitted?path=${encodeURIComponent(file.path)}`}
                />
              ),
          },
          { right: true, sx: { whiteSpace: "nowrap" }, cell: (file) => `${count(file.size)} bytes` },
          {
            sx: { fontSize: "size.note", color: "text.secondary", wordBreak: "break-all" },
            cell: (file) => `SHA-256 ${file.sha256}`,
          },
        ]}
      />
      <Typography variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
        Package {theCase.package_sha256}
        {!theCase.rows_taken && (
          <>
            {" · "}
            <a href={`/api/cases/${theCase.id}/package`} download>
              Save the package
            </a>
          </>
        )}
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

/** The column of the table of claims in which the reviewer asks about one. */
const asking = (caseId: number): TableColumn<Case["claims"][number]> => ({
  head: "",
  right: true,
  cell: (claim, i) => (
    <AskOwner
      small
      caseId={caseId}
      about={{ kind: "claim", key: String(i + 1) }}
      words={`${measure(claim.measure)} on ${claim.where}, claimed ${claim.claimed}`}
    />
  ),
});

const ABOUT = ["model", "files", "data", "roles", "recipe", "claims"];

function Since({ theCase, since }: { theCase: Case; since: NonNullable<Case["since"]> }) {
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
        What changed since{" "}
        <Link to={`/cases/${since.case_id}/brief`}>
          {since.version === theCase.version ? "the review before" : `version ${since.version}`}
        </Link>
      </Typography>
      {since.changes.length === 0 ? (
        <Typography>Nothing but the version.</Typography>
      ) : (
        <Facts rows={rows.filter(([, words]) => words)} />
      )}
    </section>
  );
}

/** What the graph of the fitted model is made of, as it was read. */
function FittedModel({ theCase }: { theCase: Case }) {
  return (
    <>
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Fitted model
      </Typography>
      <DataTable
        wide
        label="Fitted model"
        rows={theCase.graph}
        keyOf={(line) => line.name}
        columns={[
          { sx: { whiteSpace: "nowrap", color: "text.secondary" }, cell: (line) => line.name },
          { sx: { overflowWrap: "anywhere" }, cell: (line) => line.words },
        ]}
      />
    </>
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

/** What goes with the model to this case: why it is reviewed again, findings that nobody settled, conditions not met. */
function Carried({ theCase }: { theCase: Case }) {
  const { re_review, before, carried_findings, carried_conditions } = theCase;
  if (!re_review && carried_findings.length + carried_conditions.length === 0) return null;
  return (
    <Box
      component="section"
      aria-label="Carried over"
      sx={{ mb: 2.5, pl: 1.5, borderLeft: 3, borderColor: "primary.main" }}
    >
      {re_review && (
        <Typography sx={{ mb: 0.5 }}>
          {re_review.by} asked on {day(re_review.at)} for this version to be reviewed again: {re_review.reason}
          <Box component="span" sx={{ display: "block", color: "text.secondary" }}>
            {theCase.since
              ? "It has rows of its own. Roles and plan begin, as far as these rows take them, as "
              : "Roles, plan and changes of the data begin as "}
            {before ? <Link to={`/cases/${before}`}>the review before</Link> : "the review before"} left them.
          </Box>
        </Typography>
      )}
      {carried_findings.length + carried_conditions.length > 0 && (
        <>
          <Typography variant="h3">Left from earlier reviews</Typography>
          <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, mt: 0.5 }}>
            {carried_findings.map((one) => (
              <Box
                component="li"
                key={`finding ${one.case_id} ${one.number}`}
                sx={{ display: "flex", gap: 1, alignItems: "baseline" }}
              >
                <Tally severity={one.severity} />
                <span>
                  <Link to={`/cases/${one.case_id}/findings#finding-${one.number}`}>
                    Finding {one.number} of {one.version}
                  </Link>
                  , {findingState(one.state)}: {one.title}
                </span>
              </Box>
            ))}
            {carried_conditions.map((one) => (
              <li key={`condition ${one.case_id} ${one.number}`}>
                <Link to={`/cases/${one.case_id}/decision`}>
                  Condition {one.number} of {one.version}
                </Link>
                , {conditionState(one.state)}, due on {day(one.due)}: {one.what}
              </li>
            ))}
          </Box>
        </>
      )}
    </Box>
  );
}
