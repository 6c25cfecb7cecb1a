/** Retention: until when decided cases keep their rows, and the word of two people that they go. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent, type ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useAnswerErasure, useMe, useProposeErasure, useRetention } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Fetching, Said } from "../parts/Said";
import { SigningPassword } from "../parts/SigningPassword";
import { SERIF } from "../theme";
import { count, day, plural, size } from "../wording";

type Line = Schemas["RetentionLine"];

export function Retention() {
  const retention = useRetention();
  const me = useMe();
  if (retention.isPending) return <Fetching what="what is kept until when" />;
  if (!retention.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={retention.error} />
      </Box>
    );
  const { lines } = retention.data;
  const open = lines.filter((line) => line.erasure?.state === "proposed");
  const due = lines.filter((line) => line.why_not === "" && !open.includes(line));
  const gone = lines.filter((line) => line.erasure?.state === "agreed" || line.erasure?.state === "done");
  const kept = lines.filter((line) => ![...open, ...due, ...gone].includes(line));
  return (
    <Main>
      <Typography variant="h1">Retention</Typography>
      <Typography sx={{ color: "text.secondary", maxWidth: 860, mb: 2 }}>
        A decided case keeps its rows for the term of its policy. After it, an administrator and a countersigner
        together can have them taken away: data files, supplied scores, a fitted model, and the scores of single rows.
        Figures, findings, hashes and whatever was signed stay, and the record verifies as before.
      </Typography>
      {lines.length === 0 && (
        <Typography sx={{ color: "text.secondary" }}>
          Cases are listed here once a decision on them was countersigned.
        </Typography>
      )}
      <Part title="To be agreed to" lines={open}>
        {open.map((line) => (
          <Proposal key={line.case_id} line={line} reads={me.data?.reads_all ?? false} />
        ))}
      </Part>
      <Part title="Past their term" lines={due}>
        {due.map((line) => (
          <Due key={line.case_id} line={line} reads={me.data?.reads_all ?? false} />
        ))}
      </Part>
      <Part title="Taken away" lines={gone}>
        <DataTable
          wide
          label="Rows that were taken away"
          rows={gone}
          keyOf={(line) => line.case_id}
          columns={[
            { head: "case", namesRow: true, cell: (line) => <Name line={line} reads={me.data?.reads_all ?? false} /> },
            { head: "agreed", sx: { whiteSpace: "nowrap" }, cell: (line) => day(line.erasure?.answered) },
            { head: "by", cell: (line) => `${line.erasure?.proposed_by} and ${line.erasure?.answered_by}` },
            { head: "why", cell: (line) => line.erasure?.reason },
            { head: "what went", cell: (line) => line.erasure && went(line.erasure) },
          ]}
        />
      </Part>
      <Part title="Within their term, or in use" lines={kept}>
        <DataTable
          wide
          label="Cases that keep their rows"
          rows={kept}
          keyOf={(line) => line.case_id}
          columns={[
            { head: "case", namesRow: true, cell: (line) => <Name line={line} reads={me.data?.reads_all ?? false} /> },
            { head: "tier", cell: (line) => line.tier },
            { head: "decided", sx: { whiteSpace: "nowrap" }, cell: (line) => day(line.decided) },
            { head: "kept until", sx: { whiteSpace: "nowrap" }, cell: (line) => day(line.kept_until) },
            { head: "rows", right: true, cell: (line) => count(line.n_rows) },
            { head: "files", right: true, sx: { whiteSpace: "nowrap" }, cell: (line) => size(line.bytes) },
            { head: "why they stay", headSx: { pl: 4 }, sx: { pl: 4 }, cell: (line) => line.why_not },
          ]}
        />
      </Part>
    </Main>
  );
}

function Part({ title, lines, children }: { title: string; lines: Line[]; children: ReactNode }) {
  if (lines.length === 0) return null;
  return (
    <Box component="section" sx={{ mb: 3 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** The case by its name; a link for whoever may read it. */
function Name({ line, reads }: { line: Line; reads: boolean }) {
  const name = (
    <Box component="span" sx={{ fontFamily: SERIF, fontWeight: 560 }}>
      {line.model} {line.version}
    </Box>
  );
  return reads ? <Link to={`/cases/${line.case_id}/brief`}>{name}</Link> : name;
}

function facts(line: Line): string {
  return `tier ${line.tier}, decided ${day(line.decided)}, kept until ${day(line.kept_until)}; ${plural(line.n_rows, "row")}, ${size(line.bytes)} of files`;
}

/** What became of the bytes, as far as it is carried out. */
export function went(erasure: Schemas["ErasureView"]): string {
  if (erasure.state === "agreed")
    return `under way: ${erasure.done} of ${plural(erasure.needed, "file and column", "files and columns")}`;
  const shared = erasure.shared ? `; ${erasure.shared} stay, as another case has them` : "";
  return `${size(erasure.freed)} of ${plural(erasure.needed - erasure.shared, "file and column", "files and columns")}${shared}`;
}

function Due({ line, reads }: { line: Line; reads: boolean }) {
  const propose = useProposeErasure(line.case_id);
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const [password, setPassword] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    propose.mutate({ reason, password });
  };
  const before = line.erasure;
  return (
    <Box sx={{ py: 1, borderTop: 1, borderColor: "divider", maxWidth: 860 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline" }}>
        <Name line={line} reads={reads} />
        <Box component="span" sx={{ fontSize: "size.small", color: "text.secondary" }}>
          {facts(line)}
        </Box>
        {line.may_propose && !open && (
          <Button sx={{ ml: "auto", flex: "none" }} onClick={() => setOpen(true)}>
            Propose to take the rows away
          </Button>
        )}
      </Box>
      {before?.state === "declined" && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {before.answered_by} declined on {day(before.answered)}: {before.comment}
        </Typography>
      )}
      {open && (
        <Box
          component="form"
          aria-label={`Take the rows of ${line.model} ${line.version} away`}
          onSubmit={send}
          sx={{ display: "grid", gap: 1, mt: 1 }}
        >
          <TextField
            required
            multiline
            minRows={2}
            label="Why the rows go"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
          <Box sx={{ display: "flex", gap: 1 }}>
            <SigningPassword required value={password} onChange={setPassword} />
            <Button
              type="submit"
              variant="contained"
              disabled={propose.isPending || !reason.trim() || !password}
              sx={{ flex: "none" }}
            >
              Propose it to the countersigners
            </Button>
            <Button onClick={() => setOpen(false)}>Leave it</Button>
          </Box>
          <Said error={propose.error} />
        </Box>
      )}
    </Box>
  );
}

function Proposal({ line, reads }: { line: Line; reads: boolean }) {
  const answer = useAnswerErasure(line.case_id);
  const [comment, setComment] = useState("");
  const [password, setPassword] = useState("");
  const { erasure } = line;
  if (!erasure) return null;
  const say = (agree: boolean) => answer.mutate({ agree, comment, password });
  return (
    <Box sx={{ py: 1, borderTop: 1, borderColor: "divider", maxWidth: 860 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline" }}>
        <Name line={line} reads={reads} />
        <Box component="span" sx={{ fontSize: "size.small", color: "text.secondary" }}>
          {facts(line)}
        </Box>
      </Box>
      <Typography sx={{ my: 0.5 }}>
        {erasure.proposed_by} proposed on {day(erasure.proposed)} to take the rows away: {erasure.reason}
      </Typography>
      {line.why_not && (
        <Typography sx={{ color: "brook.brick" }}>It can&rsquo;t be done now. {line.why_not}</Typography>
      )}
      {!line.may_answer && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          A countersigner who did not propose it, and does not belong to the model, agrees or declines.
        </Typography>
      )}
      {line.may_answer && (
        <Box
          component="form"
          aria-label={`The rows of ${line.model} ${line.version}`}
          onSubmit={(event) => event.preventDefault()}
          sx={{ display: "grid", gap: 1, mt: 1 }}
        >
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Once you agree nobody can read the rows any more, here or in a replay, and they can&rsquo;t be had back from
            this server.
          </Typography>
          <TextField
            label="Why not, if you decline"
            value={comment}
            onChange={(event) => setComment(event.target.value)}
          />
          <Box sx={{ display: "flex", gap: 1 }}>
            <SigningPassword required value={password} onChange={setPassword} />
            <Button
              variant="contained"
              disabled={answer.isPending || !password || line.why_not !== ""}
              sx={{ flex: "none" }}
              onClick={() => say(true)}
            >
              Agree, and take them away
            </Button>
            <Button
              variant="outlined"
              disabled={answer.isPending || !password || !comment.trim()}
              sx={{ flex: "none" }}
              onClick={() => say(false)}
            >
              Decline
            </Button>
          </Box>
          <Said error={answer.error} />
        </Box>
      )}
    </Box>
  );
}
