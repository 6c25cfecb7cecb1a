/** People, for administrators: who has an account, what they may do and hold, and a new one added. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link, useNavigate } from "react-router";
import { useAddPerson, usePeople, type Account } from "../../api/people";
import { DataTable } from "../../parts/DataTable";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { useUnsent } from "../../parts/unsent";
import { day, moment, plural } from "../../wording";
import { RolesChosen } from "./RolesChosen";
import { Teams } from "./Teams";

export function People() {
  const people = usePeople();
  const [adding, setAdding] = useState(false);
  if (people.isPending) return <Fetching what="people" />;
  if (!people.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={people.error} />
      </Box>
    );
  const able = people.data.filter((one) => !one.disabled && one.has_password).length;
  return (
    <Main>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">People</Typography>
        <Typography sx={{ color: "text.secondary" }}>{plural(able, "person", "people")} can sign in.</Typography>
        {!adding && (
          <Button variant="outlined" sx={{ ml: "auto" }} onClick={() => setAdding(true)}>
            Add a person
          </Button>
        )}
      </Box>
      {adding && <AddPerson onClose={() => setAdding(false)} />}
      <DataTable
        wide
        label="People"
        rows={people.data}
        keyOf={(one) => one.id}
        columns={[
          { head: "name", namesRow: true, cell: (one) => <Link to={`/people/${one.id}`}>{one.name}</Link> },
          { head: "signs in as", sx: { overflowWrap: "anywhere" }, cell: (one) => one.login },
          { head: "roles", cell: (one) => one.roles.join(", ") },
          {
            head: "signed in last",
            sx: { whiteSpace: "nowrap" },
            cell: (one) => (one.signed_in ? moment(one.signed_in) : "never"),
          },
          { head: "open sessions", right: true, cell: (one) => one.sessions || "" },
          { head: "cases in hand", right: true, cell: (one) => one.in_hand || "" },
          { head: "second factor", headSx: { pl: 4 }, sx: { pl: 4 }, cell: (one) => (one.second_factor ? "yes" : "") },
          {
            head: "remarks",
            cell: (one) => (
              <Box component="span" sx={{ color: one.disabled ? "brook.brick" : "brook.ochre" }}>
                {remark(one)}
              </Box>
            ),
          },
        ]}
      />
      <Teams people={people.data} />
    </Main>
  );
}

/** What an administrator may have to do something about. */
export function remark(one: Account): string {
  if (one.disabled) return `disabled ${day(one.disabled)}${one.in_hand ? ", and holds cases" : ""}`;
  if (one.link_until) return `a link waits until ${moment(one.link_until)}`;
  return one.has_password ? "" : "has no password, and no link that works";
}

const NOBODY = { name: "", login: "", mail: "", roles: [] as string[] };

function AddPerson({ onClose }: { onClose: () => void }) {
  const add = useAddPerson();
  const go = useNavigate();
  const { typed, put, letGo } = useUnsent("brookfall.add-person", NOBODY);
  const send = (event: FormEvent) => {
    event.preventDefault();
    add.mutate(typed, {
      onSuccess: (page) => {
        letGo();
        void go(`/people/${page.account.id}`);
      },
    });
  };
  return (
    <Box
      component="form"
      aria-label="Add a person"
      onSubmit={send}
      sx={{ display: "grid", gap: 1.5, mt: 2, mb: 3, maxWidth: 720, justifyItems: "start" }}
    >
      <Box sx={{ display: "flex", gap: 1, width: "100%" }}>
        <TextField
          required
          autoFocus
          fullWidth
          label="Name, as others read it"
          value={typed.name}
          onChange={(event) => put({ name: event.target.value })}
        />
        <TextField
          required
          fullWidth
          label="Name to sign in with"
          value={typed.login}
          onChange={(event) => put({ login: event.target.value })}
        />
        <TextField
          fullWidth
          type="email"
          label="Mail address, if any"
          value={typed.mail}
          onChange={(event) => put({ mail: event.target.value })}
        />
      </Box>
      <RolesChosen roles={typed.roles} onChoose={(roles) => put({ roles })} />
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        They choose their own password by a link that works once; the next page makes it.
      </Typography>
      <Said error={add.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button
          type="submit"
          variant="contained"
          disabled={add.isPending || !typed.name.trim() || !typed.login.trim() || typed.roles.length === 0}
        >
          Add them
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </Box>
    </Box>
  );
}
