/** One's own password, changed with the old one; it ends every other session of one's own. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useChangePassword } from "../api/queries";
import { Said } from "../parts/Said";
import { NewPassword } from "./people/NewPassword";

export function Password() {
  const change = useChangePassword();
  const [old, setOld] = useState("");
  const [wanted, setWanted] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    const emptied = () => {
      setOld("");
      setWanted("");
    };
    change.mutate({ old, new: wanted }, { onSuccess: emptied });
  };
  return (
    <Box component="form" aria-label="Password" onSubmit={send} sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Password
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1.5 }}>A new one signs you out everywhere else.</Typography>
      <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
        <TextField
          required
          type="password"
          label="The one you have"
          sx={{ width: 320 }}
          autoComplete="current-password"
          value={old}
          onChange={(event) => setOld(event.target.value)}
        />
        <Box sx={{ width: 320 }}>
          <NewPassword label="A new one" value={wanted} onChange={setWanted} />
        </Box>
        <Button
          type="submit"
          variant="outlined"
          disabled={change.isPending}
          sx={{ whiteSpace: "nowrap", flex: "none" }}
        >
          Change it
        </Button>
      </Box>
      <Said error={change.error} />
      {change.isSuccess && old === "" && <Typography role="status">Changed. Other sessions have ended.</Typography>}
    </Box>
  );
}
