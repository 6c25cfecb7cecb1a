/** Where one is mailed; personal tokens, by which a script submits or reads in one's name; and one's password. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import type { Schemas } from "../api/client";
import { useMakeToken, useMe, useRevokeToken, useTokens } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Fetching, Said } from "../parts/Said";
import { moment, plural } from "../wording";
import { MailChoice } from "./MailChoice";
import { Password } from "./Password";
import { OwnSessions } from "./people/OwnSessions";
import { SecondFactor } from "./people/SecondFactor";

type Scope = Schemas["TokenBody"]["scopes"][number];

const SCOPES: [Scope, string][] = [
  ["submit", "submits"],
  ["read", "reads"],
];
const LASTS = [7, 30, 90, 365];

const isOver = (ends: string) => new Date(ends) <= new Date();

export function You() {
  const tokens = useTokens();
  const make = useMakeToken();
  const revoke = useRevokeToken();
  const [name, setName] = useState("");
  const [scopes, setScopes] = useState<Scope[]>(["submit"]);
  const [days, setDays] = useState(90);
  const me = useMe().data;
  const toggle = (scope: Scope) =>
    setScopes(scopes.includes(scope) ? scopes.filter((one) => one !== scope) : [...scopes, scope]);
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate({ name: name.trim(), scopes, days }, { onSuccess: () => setName("") });
  };
  return (
    <Main>
      <Box sx={{ maxWidth: 980 }}>
        <MailChoice />
        <Typography variant="h1" sx={{ mb: 0.5 }}>
          Personal tokens
        </Typography>
        <Typography sx={{ color: "text.secondary", mb: 2 }}>
          By a token a script acts in your name: <code>brookfall submit PACKAGE --url {location.origin} --token …</code>
          : it does what it is made for, until it ends, and never signs or reviews.
        </Typography>
        <Box component="form" onSubmit={send} sx={{ display: "flex", gap: 1, mb: 1.5, alignItems: "center" }}>
          <TextField label="What the token is for" value={name} onChange={(event) => setName(event.target.value)} />
          {SCOPES.map(([scope, words]) => (
            <FormControlLabel
              key={scope}
              label={words}
              control={<Checkbox size="small" checked={scopes.includes(scope)} onChange={() => toggle(scope)} />}
              sx={{ mr: 0, whiteSpace: "nowrap" }}
            />
          ))}
          <TextField
            select
            label="Ends after"
            value={days}
            onChange={(event) => setDays(Number(event.target.value))}
            slotProps={{ select: { native: true } }}
            sx={{ width: 130, flex: "none" }}
          >
            {LASTS.map((one) => (
              <option key={one} value={one}>
                {plural(one, "day")}
              </option>
            ))}
          </TextField>
          <Button
            type="submit"
            variant="contained"
            disabled={!name.trim() || scopes.length === 0 || make.isPending}
            sx={{ whiteSpace: "nowrap", flex: "none" }}
          >
            Make a token
          </Button>
        </Box>
        <Said error={make.error ?? revoke.error ?? tokens.error} />
        {make.data && (
          <Box role="status" sx={{ border: 1, borderColor: "primary.main", borderRadius: 1, p: 1.5, mb: 2 }}>
            <Typography>The token for {make.data.token.name}. It is shown this once; only its hash is kept.</Typography>
            <Box
              component="code"
              aria-label="The new token"
              sx={{ wordBreak: "break-all", fontSize: "size.lead", userSelect: "all" }}
            >
              {make.data.secret}
            </Box>
          </Box>
        )}
        {tokens.isPending && <Fetching what="your tokens" />}
        {tokens.data?.length === 0 && (
          <Typography sx={{ color: "text.secondary" }}>
            You have no token yet. Name what it is for, and make one.
          </Typography>
        )}
        {tokens.data && tokens.data.length > 0 && (
          <DataTable
            wide
            label="Your tokens"
            rows={tokens.data}
            keyOf={(token) => token.id}
            columns={[
              { head: "for", cell: (token) => token.name },
              { head: "it may", cell: (token) => token.scopes.join(" and ") },
              { head: "made", cell: (token) => moment(token.created) },
              { head: "last used", cell: (token) => (token.used ? moment(token.used) : "never") },
              { head: "ends", cell: (token) => moment(token.ends) },
              {
                cell: (token) =>
                  token.revoked ? (
                    `revoked ${moment(token.revoked)}`
                  ) : isOver(token.ends) ? (
                    "over"
                  ) : (
                    <Button onClick={() => revoke.mutate(token.id)} aria-label={`Revoke ${token.name}`}>
                      Revoke
                    </Button>
                  ),
              },
            ]}
          />
        )}
        <OwnSessions />
        {me?.has_password && (
          <>
            <Password />
            <SecondFactor />
          </>
        )}
        {me?.confirms_by && (
          <Typography sx={{ mb: 2 }}>
            You sign in by {me.confirms_by}, which has your password and second factor, and says what you may do here.
          </Typography>
        )}
      </Box>
    </Main>
  );
}
