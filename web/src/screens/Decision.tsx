/** The seven answers on one page, then the decision: proposed by the reviewer, countersigned or sent back by another. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import type { Case, Schemas } from "../api/client";
import type { Approval } from "../api/conditions";
import { useCountersign, useDecision, usePropose } from "../api/queries";
import type { Statement } from "../api/statements";
import { useTheCase } from "../frame/CaseFrame";
import { GaugeMark } from "../marks/GaugeMark";
import { Tally } from "../marks/Tally";
import { Fetching, Said } from "../parts/Said";
import { Named } from "../parts/MethodLink";
import { SigningPassword } from "../parts/SigningPassword";
import { Requirements } from "./Requirements";
import { SERIF } from "../theme";
import { Conditions } from "./conditions/Conditions";
import { Today } from "./models/Today";
import { SignedStatement } from "./SignedStatement";
import { keyOf } from "./Statement";
import { PastDeviation } from "./plan/Deviations";
import { day, decision as decisionWords, decisions, moment, plural } from "../wording";

type Page = Schemas["DecisionPage"];
type Kind = Schemas["Proposal"]["kind"];

const NO_CONDITION: Schemas["Condition"] = { what: "", due: "", who: "" };

export function Decision() {
  const { theCase } = useTheCase();
  const found = useDecision(theCase.id);
  if (found.isPending) return <Fetching what="the decision" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const page = found.data;
  return (
    <Box sx={{ p: 3, maxWidth: 900 }}>
      {page.decisions.map((decision) => (
        <Proposed
          key={decision.id}
          decision={decision}
          approval={decision.state === "accepted" ? page.approval : null}
        />
      ))}
      {page.approval && <Conditions caseId={theCase.id} approval={page.approval} />}
      <Box sx={{ display: "flex", gap: 2, mb: 1.5 }}>
        <Link to={`/cases/${theCase.id}/report`}>
          {theCase.state === "decided" ? "Read the signed report" : "Read the report as it stands"}
        </Link>
        <Link to={`/cases/${theCase.id}/report?length=sheet`}>One sheet for the committee</Link>
      </Box>
      {page.statement && page.statement_sha256 && (
        <SignedStatement caseId={theCase.id} statement={page.statement} sha256={page.statement_sha256} />
      )}
      {theCase.may.countersign && <CountersignForm theCase={theCase} read={page.statement_sha256} />}
      <Typography variant="h2" sx={{ mt: 1 }}>
        The seven questions
      </Typography>
      {page.questions.map((q) => (
        <Box
          key={q.number}
          component="section"
          aria-label={q.question}
          sx={{
            display: "grid",
            gridTemplateColumns: "30px 250px 1fr",
            gap: 1,
            borderBottom: 1,
            borderColor: "divider",
            py: 0.75,
          }}
        >
          {q.standing ? <GaugeMark standing={q.standing} label={q.question} /> : <span />}
          <Typography variant="h3">
            {q.number} {q.question}
          </Typography>
          <Box sx={{ fontSize: "size.cell", color: "text.secondary" }}>
            {q.answers.length === 0 && "No check was run."}
            {q.answers.map((answer) => (
              <Box key={answer} sx={{ mb: 0.5 }}>
                <Named text={answer} />
              </Box>
            ))}
          </Box>
        </Box>
      ))}
      <Typography variant="h2" sx={{ mt: 2, mb: 0.5 }}>
        Statements
      </Typography>
      {page.statements.length === 0 && (
        <Typography sx={{ color: "text.secondary" }}>None is due, and none was written.</Typography>
      )}
      {page.statements.map((one) => (
        <StatementLine key={keyOf(one)} caseId={theCase.id} statement={one} />
      ))}
      <Typography variant="h2" sx={{ mt: 2, mb: 0.5 }}>
        Open findings
      </Typography>
      {page.findings.length === 0 && <Typography sx={{ color: "text.secondary" }}>None.</Typography>}
      {page.findings.map((f) => (
        <Box key={f.id} sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.25 }}>
          <Tally severity={f.severity} />
          <Link to={`/cases/${theCase.id}/findings`}>
            {f.number}. {f.title}
          </Link>
        </Box>
      ))}
      <Typography variant="h2" sx={{ mt: 2, mb: 0.5 }}>
        Limits that depart from the policy, and standings that were overruled
      </Typography>
      {page.departures.length === 0 && <Typography sx={{ color: "text.secondary" }}>None.</Typography>}
      {page.departures.map((departure) => (
        <Typography key={departure}>{departure}</Typography>
      ))}
      <Requirements caseId={theCase.id} />
      <Typography variant="h2" sx={{ mt: 2, mb: 0.5 }}>
        Deviations from the plan
      </Typography>
      {page.deviations.length === 0 && <Typography sx={{ color: "text.secondary" }}>None.</Typography>}
      {page.deviations.map((one) => (
        <PastDeviation key={one.number} deviation={one} />
      ))}
      {theCase.may.review && <ProposeForm theCase={theCase} page={page} />}
    </Box>
  );
}

/** A statement with its judgement; or that it is due, and who would have to write it. */
function StatementLine({ caseId, statement }: { caseId: number; statement: Statement }) {
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "30px 250px 1fr",
        gap: 1,
        borderBottom: 1,
        borderColor: "divider",
        py: 0.75,
      }}
    >
      {statement.standing ? <GaugeMark standing={statement.standing} label={statement.title} /> : <span />}
      <Link to={`/cases/${caseId}/evidence?statement=${keyOf(statement)}`}>
        {statement.number && `${statement.number}. `}
        {statement.title}
      </Link>
      {statement.standing ? (
        <Box sx={{ fontSize: "size.cell", color: "text.secondary", overflowWrap: "anywhere" }}>
          {statement.judgement}
          {statement.files.length > 0 && ` ${plural(statement.files.length, "file")} attached.`}
        </Box>
      ) : (
        <Box sx={{ fontSize: "size.cell", color: "brook.ochre" }}>Due by the plan, and not written.</Box>
      )}
    </Box>
  );
}

interface ProposedProps {
  decision: Schemas["DecisionView"];
  /** Once it was countersigned and approves: its term, and how it stands today. */
  approval: Approval | null;
}

function Proposed({ decision, approval }: ProposedProps) {
  const ends: Record<string, string> = {
    proposed: "It awaits a countersignature.",
    accepted: `Countersigned by ${decision.answered_by}, ${decision.answered ? moment(decision.answered) : ""}.`,
    sent_back: `Sent back by ${decision.answered_by}: ${decision.comment}`,
  };
  return (
    <Box
      component="section"
      aria-label="Decision"
      sx={{ mb: 2, pl: 1.5, borderLeft: 3, borderColor: decision.state === "sent_back" ? "divider" : "primary.main" }}
    >
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer" }}>
        {decisionWords(decision.kind)}
        {decision.state === "accepted" ? "" : decision.state === "sent_back" ? ", sent back" : ", proposed"}.
      </Typography>
      {approval && (
        <Typography sx={{ mb: 0.5 }}>
          From {day(approval.signed)} until {day(approval.until)}, both days included. Today{" "}
          <Today standing={approval.standing} />
          {approval.standing === "in_force" ? "." : `: ${approval.why}.`}
        </Typography>
      )}
      <Typography sx={{ whiteSpace: "pre-line" }}>{decision.reasons}</Typography>
      {!approval &&
        decision.conditions.map((c) => (
          <Box key={c.what}>
            Condition, by {day(c.due)}
            {c.who && `, of ${c.who}`}: {c.what}
          </Box>
        ))}
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        Proposed and signed by {decision.proposed_by}, {moment(decision.proposed)}. {ends[decision.state]}
      </Typography>
    </Box>
  );
}

/** The decision just signed stands at the top; the form that signed it is gone by then, and a refused one says why. */
function toTop() {
  document.querySelector("main")?.scrollTo({ top: 0 });
}

function ProposeForm({ theCase, page }: { theCase: Case; page: Page }) {
  const propose = usePropose(theCase.id);
  const [kind, setKind] = useState<Kind>("returned_for_rework");
  const [reasons, setReasons] = useState("");
  const [despite, setDespite] = useState("");
  const [password, setPassword] = useState("");
  const [conditions, setConditions] = useState<Schemas["Condition"][]>([]);
  const approves = kind === "approved" || kind === "approved_with_conditions";
  const conditional = kind === "approved_with_conditions";
  const setCondition = (i: number, part: Partial<Schemas["Condition"]>) =>
    setConditions(conditions.map((c, j) => (i === j ? { ...c, ...part } : c)));
  if (page.blockers.length > 0) {
    return (
      <Box sx={{ mt: 3 }}>
        <Typography variant="h2">Propose a decision</Typography>
        {page.blockers.map((blocker) => (
          <Typography key={blocker} color="text.secondary">
            {blocker}
          </Typography>
        ))}
      </Box>
    );
  }
  return (
    <Box
      component="form"
      aria-label="Propose a decision"
      sx={{ mt: 3, display: "grid", gap: 1.5, maxWidth: 640 }}
      onSubmit={(event) => {
        event.preventDefault();
        void propose
          .mutateAsync({ kind, reasons, despite, password, conditions: conditional ? conditions : [] })
          .then(toTop, () => undefined);
      }}
    >
      <Typography variant="h2">Propose a decision</Typography>
      <RadioGroup
        row
        value={kind}
        onChange={(_, value) => {
          setKind(value as Kind);
          if (value === "approved_with_conditions" && conditions.length === 0) setConditions([NO_CONDITION]);
        }}
      >
        {decisions().map(([key, words]) => (
          <FormControlLabel key={key} value={key} control={<Radio size="small" />} label={words} />
        ))}
      </RadioGroup>
      {conditional &&
        conditions.map((condition, i) => (
          <Box key={i} sx={{ display: "grid", gridTemplateColumns: "1fr 150px 170px auto", gap: 1 }}>
            <TextField
              required
              label={`Condition ${i + 1}`}
              value={condition.what}
              onChange={(event) => setCondition(i, { what: event.target.value })}
            />
            <TextField
              required
              label="To be met by"
              type="date"
              value={condition.due}
              slotProps={{ inputLabel: { shrink: true } }}
              onChange={(event) => setCondition(i, { due: event.target.value })}
            />
            <TextField
              select
              label="By"
              value={condition.who}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
              onChange={(event) => setCondition(i, { who: event.target.value })}
            >
              <MenuItem value="">nobody by name</MenuItem>
              {page.answerable.map((name) => (
                <MenuItem key={name} value={name}>
                  {name}
                </MenuItem>
              ))}
            </TextField>
            <Button onClick={() => setConditions(conditions.filter((_, j) => j !== i))}>Remove</Button>
          </Box>
        ))}
      {conditional && (
        <Button sx={{ justifySelf: "start" }} onClick={() => setConditions([...conditions, NO_CONDITION])}>
          Another condition
        </Button>
      )}
      <TextField
        required
        multiline
        minRows={3}
        label="Reasons"
        value={reasons}
        onChange={(event) => setReasons(event.target.value)}
      />
      {approves && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          By the policy an approval lasts {plural(page.approved_years, "year")} from its countersignature
          {conditional && ", and lapses before that where a condition's date passes and it is not met"}.
        </Typography>
      )}
      {approves && page.needs_reason.length > 0 && (
        <TextField
          required
          multiline
          minRows={2}
          label="Why it is approved despite this"
          helperText={page.needs_reason.join(" ")}
          value={despite}
          onChange={(event) => setDespite(event.target.value)}
        />
      )}
      <SigningPassword required value={password} onChange={setPassword} sx={{ maxWidth: 280 }} />
      <Said error={propose.error} />
      <Button type="submit" variant="contained" disabled={propose.isPending} sx={{ justifySelf: "start" }}>
        Sign and propose
      </Button>
    </Box>
  );
}

/** Accepting signs the statement that was `read`, and no other. */
function CountersignForm({ theCase, read }: { theCase: Case; read: string | null }) {
  const countersign = useCountersign(theCase.id);
  const [comment, setComment] = useState("");
  const [password, setPassword] = useState("");
  const sign = (accept: boolean) =>
    void countersign.mutateAsync({ accept, comment, password, statement_sha256: read }).then(toTop, () => undefined);
  return (
    <Box component="section" aria-label="Countersign" sx={{ display: "grid", gap: 1.5, maxWidth: 640, mb: 3 }}>
      <Typography variant="h2">Countersign</Typography>
      <Typography sx={{ color: "text.secondary" }}>
        Accepting signs the statement and ends the case; its report is rendered then. Sending back takes a comment, and
        puts it into review again.
      </Typography>
      <TextField
        multiline
        minRows={2}
        label="Comment"
        value={comment}
        onChange={(event) => setComment(event.target.value)}
      />
      <SigningPassword value={password} onChange={setPassword} sx={{ maxWidth: 280 }} />
      <Said error={countersign.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" disabled={countersign.isPending || !password} onClick={() => sign(true)}>
          {countersign.isPending ? "Signing …" : "Accept and countersign"}
        </Button>
        <Button variant="outlined" disabled={countersign.isPending || !password} onClick={() => sign(false)}>
          Send back
        </Button>
      </Box>
    </Box>
  );
}
