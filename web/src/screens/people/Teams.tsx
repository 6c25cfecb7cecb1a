/** Teams, for administrators: people under one name, which models are of and findings are asked of. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent, type ReactNode } from "react";
import { useChangeTeam, useMakeTeam, useTeams, type Account, type Team } from "../../api/people";
import { DataTable } from "../../parts/DataTable";
import { Said } from "../../parts/Said";
import { day } from "../../wording";

interface Members {
  name: string;
  members: string[];
}

export function Teams({ people }: { people: readonly Account[] }) {
  const teams = useTeams();
  const make = useMakeTeam();
  const [open, setOpen] = useState<number | "new" | null>(null);
  if (!teams.data) return <Said error={teams.error} />;
  const chosen = teams.data.find((one) => one.id === open);
  return (
    <Box component="section" aria-label="Teams" sx={{ mt: 4 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 0.5 }}>
        <Typography variant="h2">Teams</Typography>
        <Typography sx={{ color: "text.secondary" }}>
          A model is of one by its owner&rsquo;s word; a finding can be asked of any.
        </Typography>
        <Button variant="outlined" sx={{ ml: "auto" }} onClick={() => setOpen("new")}>
          Make a team
        </Button>
      </Box>
      {teams.data.length > 0 && (
        <DataTable
          wide
          label="Teams"
          rows={teams.data}
          keyOf={(one) => one.id}
          columns={[
            { head: "team", namesRow: true, cell: (one) => one.name },
            { head: "members", cell: (one) => one.members.map((member) => member.name).join(", ") || "nobody" },
            { head: "models", right: true, cell: (one) => one.models || "" },
            { head: "remarks", cell: (one) => (one.closed ? `closed ${day(one.closed)}` : "") },
            {
              cell: (one) => (
                <Button aria-label={`Change ${one.name}`} onClick={() => setOpen(one.id)}>
                  Change
                </Button>
              ),
            },
          ]}
        />
      )}
      {open === "new" && (
        <TeamForm
          key="new"
          title="Make a team"
          people={people}
          before={{ name: "", members: [] }}
          pending={make.isPending}
          error={make.error}
          onKeep={(body) => make.mutate(body, { onSuccess: () => setOpen(null) })}
          onClose={() => setOpen(null)}
        />
      )}
      {chosen && <ChangeTeam key={chosen.id} team={chosen} people={people} onClose={() => setOpen(null)} />}
    </Box>
  );
}

function ChangeTeam({ team, people, onClose }: { team: Team; people: readonly Account[]; onClose: () => void }) {
  const change = useChangeTeam(team.id);
  const before = { name: team.name, members: team.members.map((one) => one.login) };
  const closes = team.closed === null;
  return (
    <TeamForm
      title={`Change ${team.name}`}
      people={people}
      before={before}
      pending={change.isPending}
      error={change.error}
      onKeep={(body) => change.mutate({ ...body, closed: !closes }, { onSuccess: onClose })}
      onClose={onClose}
      more={
        <Button
          disabled={change.isPending}
          onClick={() => change.mutate({ ...before, closed: closes }, { onSuccess: onClose })}
        >
          {closes ? "Close the team" : "Open it again"}
        </Button>
      }
    />
  );
}

interface TeamFormProps {
  title: string;
  people: readonly Account[];
  before: Members;
  pending: boolean;
  error: Error | null;
  onKeep: (body: Members) => void;
  onClose: () => void;
  more?: ReactNode;
}

function TeamForm({ title, people, before, pending, error, onKeep, onClose, more }: TeamFormProps) {
  const [name, setName] = useState(before.name);
  const [members, setMembers] = useState(before.members);
  const nameOf = (login: string) => people.find((one) => one.login === login)?.name ?? login;
  const send = (event: FormEvent) => {
    event.preventDefault();
    onKeep({ name, members });
  };
  return (
    <Box
      component="form"
      aria-label={title}
      onSubmit={send}
      sx={{ display: "grid", gap: 1.5, mt: 2, maxWidth: 720, justifyItems: "start" }}
    >
      <TextField
        required
        autoFocus
        label="Name of the team"
        value={name}
        onChange={(event) => setName(event.target.value)}
        sx={{ width: 320 }}
      />
      <Autocomplete
        multiple
        fullWidth
        options={people.filter((one) => !one.disabled || members.includes(one.login)).map((one) => one.login)}
        getOptionLabel={nameOf}
        value={members}
        onChange={(_, chosen) => setMembers(chosen)}
        renderInput={(input) => <TextField {...input} label="Members" />}
      />
      <Said error={error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={pending || !name.trim()}>
          Keep it
        </Button>
        {more}
        <Button onClick={onClose}>Leave it</Button>
      </Box>
    </Box>
  );
}
