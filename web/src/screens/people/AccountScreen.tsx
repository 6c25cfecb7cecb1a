/** One account: what its person may do and holds, where they signed in; links, and what ends when they leave. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent, type ReactNode } from "react";
import { Link, useParams } from "react-router";
import {
  useAccount,
  useDisable,
  useEnable,
  useEndSecondFactorOf,
  useMakeLink,
  useSetRoles,
  type AccountPage,
} from "../../api/people";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { day, moment, plural } from "../../wording";
import { HandOverFor } from "./HandOverFor";
import { RolesChosen } from "./RolesChosen";

export function AccountScreen({ me }: { me: { id: number } }) {
  const personId = Number(useParams().personId);
  const found = useAccount(personId);
  if (found.isPending) return <Fetching what="the account" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const { account } = found.data;
  return (
    <Main>
      <Box sx={{ maxWidth: 980, display: "grid", gap: 3 }}>
        <Box>
          <Link to="/people">People</Link>
          <Typography variant="h1" sx={{ mt: 0.5 }}>
            {account.name}
          </Typography>
          <Typography sx={{ color: "text.secondary" }}>
            Signs in as {account.login}. Added on {day(account.added)}.{account.mail && ` Mailed at ${account.mail}.`}
            {account.disabled && (
              <Box component="span" sx={{ color: "brook.brick" }}>
                {" "}
                Disabled on {day(account.disabled)}.
              </Box>
            )}
          </Typography>
        </Box>
        <Roles key={account.roles.join()} page={found.data} />
        {!account.disabled && <OneTimeLink page={found.data} />}
        <Holds page={found.data} />
        <SignIns page={found.data} />
        {account.id !== me.id && <Leaves page={found.data} />}
      </Box>
    </Main>
  );
}

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

function Roles({ page: { account } }: { page: AccountPage }) {
  const change = useSetRoles(account.id);
  const [roles, setRoles] = useState(account.roles);
  const same = roles.length === account.roles.length && roles.every((role) => account.roles.includes(role));
  return (
    <Section title="Roles">
      <RolesChosen roles={roles} onChoose={setRoles} />
      <Button
        variant="outlined"
        sx={{ mt: 0.5 }}
        disabled={same || roles.length === 0 || change.isPending}
        onClick={() => change.mutate(roles)}
      >
        Save the roles
      </Button>
      <Said error={change.error} />
    </Section>
  );
}

function OneTimeLink({ page: { account, mails } }: { page: AccountPage }) {
  const make = useMakeLink(account.id);
  const waits = account.link_until && !make.data;
  return (
    <Section title="Password">
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        {account.has_password
          ? "They have a password that nobody else knows. A link lets them choose another, and signs them out everywhere."
          : "They have no password yet, and choose one by a link."}{" "}
        It works once, for three days; one made before ends.
        {waits && ` One waits to be used until ${moment(account.link_until ?? "")}.`}
      </Typography>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="outlined" disabled={make.isPending} onClick={() => make.mutate(false)}>
          Make a link to hand over
        </Button>
        {mails && (
          <Button variant="outlined" disabled={make.isPending} onClick={() => make.mutate(true)}>
            Mail them a link
          </Button>
        )}
      </Box>
      {make.data && (
        <Box role="status" sx={{ borderLeft: 3, borderColor: "primary.main", pl: 1.5, py: 0.5, mt: 1.5 }}>
          {make.data.mailed_to ? (
            `A link was mailed to ${make.data.mailed_to}.`
          ) : (
            <>
              <Typography>
                Hand it to {account.name} alone: it is shown this once, and works until {moment(make.data.ends)}.
              </Typography>
              <Box
                component="code"
                aria-label="The one-time link"
                sx={{ wordBreak: "break-all", userSelect: "all", fontSize: "size.lead" }}
              >
                {make.data.link}
              </Box>
            </>
          )}
        </Box>
      )}
      <Said error={make.error} />
      {account.second_factor && <LostFactor account={account} />}
    </Section>
  );
}

function LostFactor({ account }: { account: AccountPage["account"] }) {
  const end = useEndSecondFactorOf(account.id);
  return (
    <Box sx={{ mt: 1.5 }}>
      <Typography sx={{ color: "text.secondary", mb: 0.5 }}>
        Signing in takes a code of their authenticator too. Whoever lost it and its recovery codes can sign in by the
        password alone once it is taken away.
      </Typography>
      <Button disabled={end.isPending} onClick={() => end.mutate(undefined)}>
        Take the second factor away
      </Button>
      <Said error={end.error} />
    </Box>
  );
}

function Holds({ page }: { page: AccountPage }) {
  const { account, cases, models } = page;
  return (
    <Section title="What they hold">
      {cases.length === 0 && models.length === 0 && (
        <Typography sx={{ color: "text.secondary" }}>No case in review, and no model of their own.</Typography>
      )}
      {cases.length > 0 && (
        <Typography>
          {plural(cases.length, "case")} in hand: {cases.map((one) => one.case).join(", ")}.
        </Typography>
      )}
      {models.length > 0 && (
        <Typography>
          {plural(models.length, "model")} of their own: {models.map((one) => one.name).join(", ")}. Members of a model
          answer for it when its owner is away.
        </Typography>
      )}
      {cases.length > 0 && <HandOverFor account={account} reviewers={page.reviewers} />}
    </Section>
  );
}

function SignIns({ page: { account, sign_ins } }: { page: AccountPage }) {
  return (
    <Section title="Signed in last">
      <Typography sx={{ color: "text.secondary" }}>
        {sign_ins.length === 0
          ? "Never."
          : sign_ins.map((one) => `${moment(one.at)} from ${one.address || "the server"}`).join("; ")}
        {account.sessions > 0 &&
          ` ${plural(account.sessions, "session of theirs goes on", "sessions of theirs go on")}.`}
      </Typography>
    </Section>
  );
}

/** The account is closed, with a reason, or opened again. What the person did and holds stays. */
function Leaves({ page: { account } }: { page: AccountPage }) {
  const disable = useDisable(account.id);
  const enable = useEnable(account.id);
  const [reason, setReason] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    disable.mutate(reason, { onSuccess: () => setReason("") });
  };
  if (account.disabled)
    return (
      <Section title="Let them in again">
        <Typography sx={{ color: "text.secondary", mb: 1 }}>
          They sign in with the password they had; their tokens do not come back.
        </Typography>
        <Button variant="outlined" disabled={enable.isPending} onClick={() => enable.mutate(undefined)}>
          Let them sign in again
        </Button>
        <Said error={enable.error} />
      </Section>
    );
  return (
    <Section title="When they leave">
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        Their sessions and tokens end at once, and they sign in no more. What they did stays theirs; what they hold is
        listed here, to be handed over.
      </Typography>
      <Box component="form" aria-label="Disable" onSubmit={send} sx={{ display: "flex", gap: 1, maxWidth: 720 }}>
        <TextField
          fullWidth
          label="Why they sign in no more"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <Button type="submit" variant="outlined" disabled={disable.isPending || !reason.trim()} sx={{ flex: "none" }}>
          Disable {account.name}
        </Button>
      </Box>
      <Said error={disable.error} />
    </Section>
  );
}
