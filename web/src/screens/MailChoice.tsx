/** Where one is mailed and when: at once, once a day, or never. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { useChooseMail, useMail, type MailChoice as Choice } from "../api/letters";
import { Said } from "../parts/Said";

const WHEN: readonly [Choice["when"], string][] = [
  ["at_once", "at once"],
  ["daily", "once a day, in the morning"],
  ["never", "never"],
];

export function MailChoice() {
  const mail = useMail();
  const choose = useChooseMail();
  const [typed, setTyped] = useState<Partial<Choice>>({});
  if (!mail.data) return <Said error={mail.error} />;
  const address = typed.address ?? mail.data.address;
  const when = typed.when ?? mail.data.when;
  const same = address === mail.data.address && when === mail.data.when;
  const send = (event: FormEvent) => {
    event.preventDefault();
    choose.mutate({ address, when }, { onSuccess: () => setTyped({}) });
  };
  return (
    <Box component="section" aria-label="Letters" sx={{ mb: 4 }}>
      <Typography variant="h1" sx={{ mb: 0.5 }}>
        Letters
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1.5 }}>
        What waits for you and what others did in your cases, by mail.{" "}
        {!mail.data.sends && "This house sends no mail; whoever runs it sets a mail server. "}
        <Link to="/letters">Letters written to you</Link>
      </Typography>
      <Box component="form" onSubmit={send} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <TextField
          label="To"
          type="email"
          value={address}
          onChange={(event) => setTyped({ ...typed, address: event.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 300 }}
        />
        <TextField
          select
          label="When"
          value={when}
          onChange={(event) => setTyped({ ...typed, when: event.target.value as Choice["when"] })}
          slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
          sx={{ width: 220 }}
        >
          {WHEN.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </TextField>
        <Button type="submit" variant="contained" disabled={same || choose.isPending}>
          Save
        </Button>
        {choose.isSuccess && same && <Box role="status">Saved.</Box>}
      </Box>
      <Said error={choose.error} />
    </Box>
  );
}
