/** One policy: what it changes and would have changed, who signs it, and all that it says; a draft is written here. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link, useNavigate, useParams } from "react-router";
import {
  textOf,
  useAnswerPolicy,
  useChangePolicy,
  useDiscardPolicy,
  usePolicy,
  useProposePolicy,
  type HousePolicy,
  type PolicyHead,
  type PolicyPage,
} from "../../api/policies";
import { DataTable } from "../../parts/DataTable";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { SigningPassword } from "../../parts/SigningPassword";
import { day, moment } from "../../wording";
import { Effect } from "./Effect";
import { FactsTable, LimitsTable } from "./LimitsTable";
import { PolicyFile } from "./PolicyFile";
import { ReportMade } from "./ReportMade";
import { RequirementsListed } from "./RequirementsListed";

export function PolicyScreen() {
  const policyId = Number(useParams().policyId);
  const found = usePolicy(policyId);
  if (found.isPending) return <Fetching what="the policy" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  return <Policy key={policyId} page={found.data} policyId={policyId} />;
}

function Policy({ page, policyId }: { page: PolicyPage; policyId: number }) {
  const change = useChangePolicy(policyId);
  const { head, policy } = page;
  const save = (next: HousePolicy, note?: string) =>
    head && change.mutate({ revision: head.revision, note: note ?? head.note, policy: next });
  const onSet = page.may_change ? (next: HousePolicy) => save(next) : undefined;
  return (
    <Main>
      <Box sx={{ display: "grid", gap: 3, maxWidth: 1220 }}>
        <Box>
          <Link to="/policies">Policies</Link>
          <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mt: 0.5 }}>
            <Typography variant="h1">{policy.name}</Typography>
            <a href={textOf(policyId)} download={`${policy.name}.yaml`}>
              Download as a file
            </a>
          </Box>
          <Typography sx={{ color: "text.secondary", maxWidth: 860 }}>{head ? stateWords(head) : BUILT_IN}</Typography>
          {head && !page.may_change && head.note && <Typography sx={{ maxWidth: 860 }}>{head.note}</Typography>}
        </Box>
        {head && page.may_change && (
          <Named
            key={`${policy.name} ${head.note}`}
            page={page}
            head={head}
            busy={change.isPending}
            onSave={(name, note) => save({ ...policy, name }, note)}
          />
        )}
        <Said error={change.error} />
        {head && <Changes page={page} />}
        {head && (head.state === "draft" || head.state === "proposed") && <Effect head={head} />}
        {head && page.may_propose && <Propose head={head} changes={page.changes.length} />}
        {head?.state === "proposed" && <Countersign page={page} head={head} />}
        <SecondFactor policy={policy} busy={change.isPending} onSet={onSet} />
        <LimitsTable page={page} busy={change.isPending} onSet={onSet} />
        <FactsTable page={page} busy={change.isPending} onSet={onSet} />
        <ReportMade
          form={policy.report}
          busy={change.isPending}
          onSet={onSet && ((report) => onSet({ ...policy, report }))}
        />
        <RequirementsListed page={page} />
        {head && page.may_change && <PolicyFile head={head} />}
      </Box>
    </Main>
  );
}

const BUILT_IN =
  "What the program brings: common practice, in force as long as nobody has signed a policy of the house. It can't be changed, and a draft can begin as it is.";

export function stateWords(head: PolicyHead): string {
  const proposed = `${head.proposed_by} proposed it on ${moment(head.proposed ?? "")}`;
  if (head.state === "signed")
    return `${head.in_force ? "In force since" : "In force from"} ${day(head.in_force_from)}, number ${head.number}. ${proposed}; ${head.answered_by} countersigned on ${moment(head.answered ?? "")}.`;
  if (head.state === "proposed")
    return `${proposed}, to be in force from ${day(head.in_force_from)}. It waits for a countersigner; nothing is planned under it yet.`;
  if (head.state === "discarded") return `A draft that was let go, begun by ${head.drafted_by}.`;
  const sent = head.answered_by ? ` ${head.answered_by} sent it back: “${head.comment}”` : "";
  return `A draft, begun by ${head.drafted_by} on ${day(head.drafted)}. Nothing is planned under it.${sent}`;
}

/** The draft's name, and what changes and why. */
function Named({
  page,
  head,
  busy,
  onSave,
}: {
  page: PolicyPage;
  head: PolicyHead;
  busy: boolean;
  onSave: (name: string, note: string) => void;
}) {
  const [name, setName] = useState(page.policy.name);
  const [note, setNote] = useState(head.note);
  const discard = useDiscardPolicy(head.id);
  const go = useNavigate();
  const send = (event: FormEvent) => {
    event.preventDefault();
    onSave(name, note);
  };
  const same = name === page.policy.name && note === head.note;
  return (
    <Box component="form" aria-label="Name and reason" onSubmit={send} sx={{ display: "grid", gap: 1, maxWidth: 860 }}>
      <TextField required label="Name of the policy" value={name} onChange={(event) => setName(event.target.value)} />
      <TextField
        multiline
        label="What changes, and why; it is signed with the policy"
        value={note}
        onChange={(event) => setNote(event.target.value)}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="outlined" disabled={busy || same || !name.trim()}>
          Save name and reason
        </Button>
        <Button
          disabled={discard.isPending}
          onClick={() => discard.mutate(head.revision, { onSuccess: () => void go("/policies") })}
        >
          Let the draft go
        </Button>
      </Box>
      <Said error={discard.error} />
    </Box>
  );
}

function Changes({ page }: { page: PolicyPage }) {
  return (
    <Box component="section" aria-label="What it changes">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What it changes
      </Typography>
      {page.changes.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>It says the same as {page.against}.</Typography>
      ) : (
        <DataTable
          wide
          label="What it changes"
          caption={`Against ${page.against}.`}
          rows={page.changes}
          keyOf={(one) => `${one.tier} ${one.about}`}
          columns={[
            { head: "tier", sx: { width: 60 }, cell: (one) => one.tier ?? "all" },
            { head: "about", namesRow: true, sx: { width: 360 }, cell: (one) => one.about },
            { head: "was", sx: { color: "text.secondary" }, cell: (one) => one.before },
            { head: "becomes", cell: (one) => one.after },
          ]}
        />
      )}
    </Box>
  );
}

function Propose({ head, changes }: { head: PolicyHead; changes: number }) {
  const propose = useProposePolicy(head.id);
  const [from, setFrom] = useState("");
  const [password, setPassword] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    propose.mutate(
      { revision: head.revision, in_force_from: from, password },
      { onSuccess: () => setPassword(""), onError: () => setPassword("") },
    );
  };
  return (
    <Box component="section" aria-label="Sign it">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Sign it
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        You sign first, then a countersigner. From its date on cases are planned under it; those that were planned keep
        theirs.
        {changes > 0 && !head.note && " Write first what changes, and why."}
      </Typography>
      <Box component="form" aria-label="Propose the policy" onSubmit={send} sx={{ display: "flex", gap: 1 }}>
        <TextField
          required
          type="date"
          label="In force from"
          fullWidth={false}
          value={from}
          onChange={(event) => setFrom(event.target.value)}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <SigningPassword required value={password} onChange={setPassword} sx={{ width: 260 }} />
        <Button
          type="submit"
          variant="contained"
          sx={{ flex: "none" }}
          disabled={propose.isPending || !password || !from || !head.note || changes === 0}
        >
          Propose it
        </Button>
      </Box>
      <Said error={propose.error} />
    </Box>
  );
}

function Countersign({ page, head }: { page: PolicyPage; head: PolicyHead }) {
  const answer = useAnswerPolicy(head.id);
  const [comment, setComment] = useState("");
  const [password, setPassword] = useState("");
  if (!page.may_answer) return <Typography sx={{ color: "text.secondary" }}>{page.why_not_answer}</Typography>;
  const sign = (agree: boolean) =>
    answer.mutate(
      { sha256: head.sha256 ?? "", agree, comment, password },
      { onSuccess: () => setPassword(""), onError: () => setPassword("") },
    );
  return (
    <Box component="section" aria-label="Countersign it">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Countersign it
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1, overflowWrap: "anywhere" }}>
        What you sign is the text under “Download as a file”, SHA-256 {head.sha256}.
      </Typography>
      <Box sx={{ display: "grid", gap: 1, maxWidth: 860 }}>
        <TextField
          multiline
          label="Comment; why it goes back, where it does"
          value={comment}
          onChange={(event) => setComment(event.target.value)}
        />
        <Box sx={{ display: "flex", gap: 1 }}>
          <SigningPassword value={password} onChange={setPassword} sx={{ width: 260 }} />
          <Button variant="contained" disabled={answer.isPending || !password} onClick={() => sign(true)}>
            Countersign the policy
          </Button>
          <Button
            variant="outlined"
            disabled={answer.isPending || !password || !comment.trim()}
            onClick={() => sign(false)}
          >
            Send it back
          </Button>
        </Box>
      </Box>
      <Said error={answer.error} />
    </Box>
  );
}

const SIGNERS = ["reviewer", "countersigner", "administrator"] as const;

/** Whose signature takes a second factor. */
function SecondFactor({
  policy,
  busy,
  onSet,
}: {
  policy: HousePolicy;
  busy: boolean;
  onSet?: ((policy: HousePolicy) => void) | undefined;
}) {
  const asked = policy.second_factor_for;
  if (!onSet)
    return (
      <Typography>
        {asked.length > 0
          ? `Who signs as ${asked.join(", ")} must have a second factor.`
          : "Nobody needs a second factor to sign."}
      </Typography>
    );
  return (
    <Box
      role="group"
      aria-label="Who needs a second factor to sign"
      sx={{ display: "flex", gap: 2, alignItems: "center" }}
    >
      Needs a second factor to sign:
      {SIGNERS.map((role) => (
        <label key={role}>
          <input
            type="checkbox"
            disabled={busy}
            checked={asked.includes(role)}
            onChange={(event) =>
              onSet({
                ...policy,
                second_factor_for: SIGNERS.filter((one) => (one === role ? event.target.checked : asked.includes(one))),
              })
            }
          />{" "}
          {role}
        </label>
      ))}
    </Box>
  );
}
