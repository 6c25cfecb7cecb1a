/** A model: which version is in use, who belongs to it, its versions. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { useAddMember, useModel, useRemoveMember, useSayInUse } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Fetching, Said } from "../parts/Said";
import { day, outcome, plural } from "../wording";
import { Marks, QuestionHeads } from "./Docket";

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
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Typography variant="h1">{model.name}</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 2 }}>
        key <code>{model.key}</code> · of {model.owner.name} · first submitted {day(model.created)} ·{" "}
        {plural(model.versions.length, "version")}
      </Typography>
      <InUse model={model} />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Versions
      </Typography>
      <DataTable
        wide
        label="Versions"
        rows={model.versions}
        keyOf={(version) => version.id}
        columns={[
          {
            head: "version",
            namesRow: true,
            cell: (version) => <Link to={`/cases/${version.id}`}>{version.version}</Link>,
          },
          { head: "outcome, tier", cell: (version) => `${outcome(version.outcome)}, ${version.tier}` },
          { head: "from", cell: (version) => version.owner },
          { head: "reviewer", cell: (version) => version.reviewer ?? "nobody yet" },
          { head: <QuestionHeads />, cell: (version) => <Marks line={version} /> },
          { head: "where it stands", cell: (version) => version.stands },
        ]}
      />
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        Who belongs to it
      </Typography>
      <People model={model} />
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
