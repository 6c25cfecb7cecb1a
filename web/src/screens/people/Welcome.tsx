/** Where a one-time link leads: whose it is, and a password of their own choice. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useLink, useLinkUsed } from "../../api/people";
import { Fetching, Said } from "../../parts/Said";
import { moment } from "../../wording";
import { NewPassword } from "./NewPassword";

export function Welcome() {
  // The secret stands behind the #, which no browser sends to a server.
  const [secret] = useState(() => location.hash.slice(1));
  const link = useLink(secret);
  const use = useLinkUsed();
  const [password, setPassword] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    use.mutate({ secret, password });
  };
  if (link.isPending && secret) return <Fetching what="your link" />;
  return (
    <Box component="main" sx={{ maxWidth: 460, mx: "auto", pt: 12, px: 3 }}>
      <Typography variant="h1" sx={{ fontSize: "size.hero" }}>
        {link.data ? `Welcome, ${link.data.name}` : "A link that no longer works"}
      </Typography>
      {!link.data && (
        <>
          <Said error={link.error} />
          {!secret && <Typography>The address is not whole: copy the link as it was given to you.</Typography>}
          <a href="/">To the sign-in</a>
        </>
      )}
      {link.data && !use.isSuccess && (
        <Box component="form" aria-label="Choose a password" onSubmit={send} sx={{ display: "grid", gap: 1.5, mt: 1 }}>
          <Typography sx={{ color: "text.secondary" }}>
            You sign in as <b>{link.data.login}</b>, with a password that only you know. A few words that nobody says
            are easier to keep than signs. The link works once, until {moment(link.data.ends)}.
          </Typography>
          <NewPassword label="Password" value={password} onChange={setPassword} secret={secret} />
          <Said error={use.error} />
          <Button type="submit" variant="contained" disabled={use.isPending || !password}>
            Choose this password
          </Button>
        </Box>
      )}
      {use.isSuccess && (
        <Typography role="status" sx={{ mt: 1 }}>
          Your password is chosen. <a href="/">Sign in as {link.data?.login}</a>.
        </Typography>
      )}
    </Box>
  );
}
