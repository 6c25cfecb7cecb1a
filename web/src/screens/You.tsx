/** Personal tokens: by one of them a script submits and reads in one's name. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useMakeToken, useRevokeToken, useTokens } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Fetching, Said } from "../parts/Said";
import { moment } from "../wording";

export function You() {
  const tokens = useTokens();
  const make = useMakeToken();
  const revoke = useRevokeToken();
  const [name, setName] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate(name.trim(), { onSuccess: () => setName("") });
  };
  return (
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Box sx={{ maxWidth: 760 }}>
        <Typography variant="h1" sx={{ mb: 0.5 }}>
          Personal tokens
        </Typography>
        <Typography sx={{ color: "text.secondary", mb: 2 }}>
          By a token a script acts in your name: <code>brookfall submit PACKAGE --url {location.origin} --token …</code>
          . It can do what you can, but not sign.
        </Typography>
        <Box component="form" onSubmit={send} sx={{ display: "flex", gap: 1, mb: 1.5 }}>
          <TextField label="What the token is for" value={name} onChange={(event) => setName(event.target.value)} />
          <Button
            type="submit"
            variant="contained"
            disabled={!name.trim() || make.isPending}
            sx={{ whiteSpace: "nowrap" }}
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
              { head: "made", cell: (token) => moment(token.created) },
              { head: "last used", cell: (token) => (token.used ? moment(token.used) : "never") },
              {
                cell: (token) =>
                  token.revoked ? (
                    `revoked ${moment(token.revoked)}`
                  ) : (
                    <Button onClick={() => revoke.mutate(token.id)} aria-label={`Revoke ${token.name}`}>
                      Revoke
                    </Button>
                  ),
              },
            ]}
          />
        )}
      </Box>
    </Box>
  );
}
