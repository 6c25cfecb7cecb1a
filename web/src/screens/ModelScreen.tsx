/** A model: how it stands today, its versions and conditions, what befell it, who belongs to it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { useAddMember, useModel, useReReview, useRemoveMember, useSayInUse, useWithdraw } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Fetching, Said } from "../parts/Said";
import { useUnsent } from "../parts/unsent";
import { SERIF } from "../theme";
import { conditionState, day, outcome, plural } from "../wording";
import { Marks, QuestionHeads } from "./Docket";
import { Between } from "./models/Between";
import { NextVersion } from "./models/NextVersion";
import { TeamOf } from "./models/TeamOf";
import { Tier } from "./models/Tier";
import { Today } from "./models/Today";

export function ModelScreen() {
  const key = useParams().modelKey ?? "";
  const found = useModel(key);
  if (found.isPending) return <Fetching what="the model" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const model = found.data;
  return (
    <Main>
      <Typography variant="h1">{model.name}</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 2 }}>
        key <code>{model.key}</code> · of {model.owner.name} · first submitted {day(model.created)} ·{" "}
        {plural(new Set(model.versions.map(({ line }) => line.version)).size, "version")}
      </Typography>
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34 }}>
        {model.counts ? `Version ${model.counts} is today` : "Today"} <Today standing={model.standing} />: {model.why}.
      </Typography>
      {model.withdrawn_why && <Typography sx={{ mt: 0.5 }}>{model.withdrawn_why}</Typography>}
      <Tier model={model} />
      <Box sx={{ mt: 2 }}>{model.withdrawn ? null : <InUse model={model} />}</Box>
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Versions
      </Typography>
      <DataTable
        wide
        label="Versions"
        rows={model.versions}
        keyOf={({ line }) => line.id}
        columns={[
          {
            head: "version",
            namesRow: true,
            cell: ({ line }) => (
              <>
                <Link to={`/cases/${line.id}`}>{line.version}</Link>
                {line.review > 1 && (
                  <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>review {line.review}</Box>
                )}
              </>
            ),
          },
          {
            head: "today",
            cell: (version) => (
              <>
                {version.standing && <Today standing={version.standing} />}
                <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>{version.why}</Box>
              </>
            ),
          },
          { head: "outcome, tier", cell: ({ line }) => `${outcome(line.outcome)}, ${line.tier}` },
          { head: "from", cell: ({ line }) => line.owner },
          { head: "reviewer", cell: ({ line }) => line.reviewer ?? "nobody yet" },
          { head: <QuestionHeads />, cell: ({ line }) => <Marks line={line} /> },
          { head: "where its case stands", cell: ({ line }) => line.stands },
        ]}
      />
      <NextVersion model={model} />
      <ReReview model={model} />
      <Between model={model} />
      <OfConditions model={model} />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Time line
      </Typography>
      <Events events={model.events} />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Who belongs to it
      </Typography>
      <TeamOf model={model} />
      <People model={model} />
      {model.may_withdraw && <Withdrawal model={model} />}
    </Main>
  );
}

/** Opens another case on a version that was approved. */
function ReReview({ model }: { model: Schemas["ModelPage"] }) {
  const open = useReReview();
  const go = useNavigate();
  const lines = model.versions.map((version) => version.line).filter((line) => model.re_reviewable.includes(line.id));
  const [chosen, setChosen] = useState<number | null>(null);
  const { typed, put, letGo } = useUnsent(`brookfall.re-review.${model.key}`, { reason: "" });
  const caseId = chosen ?? lines.find((line) => line.version === model.counts)?.id ?? lines[0]?.id;
  if (caseId === undefined) return null;
  return (
    <Box component="details" sx={{ mt: 1 }}>
      <Box component="summary" sx={{ cursor: "pointer", color: "primary.main", fontWeight: 550 }}>
        Review a version again
      </Box>
      <Box
        component="form"
        aria-label="Review a version again"
        sx={{ display: "grid", gap: 1.5, mt: 1.5, maxWidth: 620, justifyItems: "start" }}
        onSubmit={(event) => {
          event.preventDefault();
          open.mutate(
            { caseId, reason: typed.reason },
            {
              onSuccess: (made) => {
                letGo();
                void go(`/cases/${made.id}`);
              },
            },
          );
        }}
      >
        <Typography sx={{ color: "text.secondary" }}>
          Opens a case on the same version: the files as they were sent, with roles, plan and changes of the data as the
          last review left them. What was signed stands until the new decision is.
        </Typography>
        <TextField
          select
          label="Version"
          value={caseId}
          onChange={(event) => setChosen(Number(event.target.value))}
          sx={{ width: 240 }}
        >
          {lines.map((line) => (
            <MenuItem key={line.id} value={line.id}>
              {line.version}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          fullWidth
          multiline
          label="Why it is reviewed again"
          value={typed.reason}
          onChange={(event) => put({ reason: event.target.value })}
        />
        <Button type="submit" variant="outlined" disabled={open.isPending || !typed.reason.trim()}>
          Open a re-review
        </Button>
        <Said error={open.error} />
      </Box>
    </Box>
  );
}

/** The conditions of every version, those to be met first. */
function OfConditions({ model }: { model: Schemas["ModelPage"] }) {
  const all = model.versions.flatMap((version) => version.conditions.map((one) => ({ ...one, line: version.line })));
  if (all.length === 0) return null;
  const left = (one: (typeof all)[number]) => (one.state === "open" ? 0 : one.state === "sent" ? 1 : 2);
  return (
    <>
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Conditions
      </Typography>
      <DataTable
        label="Conditions"
        rows={all.sort((a, b) => left(a) - left(b) || a.due.localeCompare(b.due))}
        keyOf={(one) => `${one.line.id} ${one.number}`}
        columns={[
          {
            head: "condition",
            namesRow: true,
            cell: (one) => (
              <Link to={`/cases/${one.line.id}/decision`}>
                {one.number}. {one.what}
              </Link>
            ),
          },
          { head: "of version", cell: (one) => one.line.version },
          { head: "to be met by", sx: { whiteSpace: "nowrap" }, cell: (one) => day(one.due) },
          { head: "state", cell: (one) => conditionState(one.state) },
        ]}
      />
    </>
  );
}

function Events({ events }: { events: readonly Schemas["ModelEvent"][] }) {
  return (
    <Box
      component="ol"
      aria-label="Time line"
      sx={{ listStyle: "none", p: 0, m: 0, maxWidth: 900, borderLeft: 2, borderColor: "divider" }}
    >
      {events.map((event, i) => (
        <Box
          component="li"
          key={i}
          sx={{ display: "grid", gridTemplateColumns: "110px 90px 1fr", gap: 1.5, pl: 1.5, py: 0.25 }}
        >
          <Box sx={{ color: "text.secondary" }}>{day(event.day)}</Box>
          <Box>{event.case_id ? <Link to={`/cases/${event.case_id}`}>{event.version}</Link> : null}</Box>
          <Box>
            {event.what}
            {event.by && <Box component="span" sx={{ color: "text.secondary" }}>{`, ${event.by}`}</Box>}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** The owner withdraws the model, or takes it up again. */
function Withdrawal({ model }: { model: Schemas["ModelPage"] }) {
  const withdraw = useWithdraw(model.key);
  const { typed, put, letGo } = useUnsent(`brookfall.withdrawal.${model.key}`, { reason: "" });
  return (
    <Box sx={{ mt: 3, maxWidth: 620 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        {model.withdrawn ? "Take it up again" : "Withdraw the model"}
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        {model.withdrawn
          ? "Its versions stand then as their approvals do."
          : "A withdrawn model is used no more; no version of it is in force. Everything that was signed stays."}
      </Typography>
      {model.withdrawn ? (
        <Button variant="outlined" disabled={withdraw.isPending} onClick={() => withdraw.mutate(null)}>
          Take the model up again
        </Button>
      ) : (
        <Box
          component="form"
          aria-label="Withdraw the model"
          sx={{ display: "grid", gap: 1, justifyItems: "start" }}
          onSubmit={(event) => {
            event.preventDefault();
            withdraw.mutate(typed.reason, { onSuccess: letGo });
          }}
        >
          <TextField
            fullWidth
            multiline
            label="Why it is withdrawn"
            value={typed.reason}
            onChange={(event) => put({ reason: event.target.value })}
          />
          <Button type="submit" variant="outlined" disabled={withdraw.isPending || !typed.reason.trim()}>
            Withdraw the model
          </Button>
        </Box>
      )}
      <Said error={withdraw.error} />
    </Box>
  );
}

function InUse({ model }: { model: Schemas["ModelPage"] }) {
  const say = useSayInUse(model.key);
  const words = model.in_use ? `Version ${model.in_use} is in use.` : "No version is said to be in use.";
  if (!model.may_say_in_use) return <Typography>{words}</Typography>;
  if (model.approved.length === 0)
    return <Typography>{words} Once a version is approved, you can say here that it is in use.</Typography>;
  return (
    <Box>
      <TextField
        select
        label="Version in use"
        value={model.in_use ?? ""}
        disabled={say.isPending}
        onChange={(event) => say.mutate(event.target.value || null)}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        sx={{ width: 240 }}
      >
        <MenuItem value="">none</MenuItem>
        {model.approved.map((version) => (
          <MenuItem key={version} value={version}>
            {version}
          </MenuItem>
        ))}
      </TextField>
      <Said error={say.error} />
    </Box>
  );
}

function People({ model }: { model: Schemas["ModelPage"] }) {
  const add = useAddMember(model.key);
  const remove = useRemoveMember(model.key);
  const [login, setLogin] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    add.mutate(login.trim(), { onSuccess: () => setLogin("") });
  };
  return (
    <Box sx={{ maxWidth: 620 }}>
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        Its owner and members see every version and may send new ones. None of them can review or countersign it.
      </Typography>
      <DataTable
        label="Who belongs to the model"
        rows={[model.owner, ...model.members]}
        keyOf={(person) => person.id}
        columns={[
          { head: "name", namesRow: true, cell: (person) => person.name },
          { head: "signs in as", cell: (person) => person.login },
          { head: "as", cell: (_, place) => (place === 0 ? "owner" : "member") },
          ...(model.may_change_people
            ? [
                {
                  cell: (person: Schemas["BelongsView"], place: number) =>
                    place > 0 && (
                      <Button
                        disabled={remove.isPending}
                        aria-label={`Remove ${person.name}`}
                        onClick={() => remove.mutate(person.id)}
                      >
                        Remove
                      </Button>
                    ),
                },
              ]
            : []),
        ]}
      />
      {model.may_change_people && (
        <Box component="form" aria-label="New member" onSubmit={send} sx={{ display: "flex", gap: 1, mt: 1.5 }}>
          <TextField
            label="Name that the new member signs in with"
            value={login}
            onChange={(event) => setLogin(event.target.value)}
            sx={{ flex: 1 }}
          />
          <Button type="submit" variant="contained" disabled={!login.trim() || add.isPending} sx={{ flex: "none" }}>
            Add a member
          </Button>
        </Box>
      )}
      <Said error={add.error ?? remove.error} />
    </Box>
  );
}
