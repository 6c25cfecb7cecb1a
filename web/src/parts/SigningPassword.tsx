/** What whoever signs gives again: the password; or, by the house's provider, that it is they. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useCallback, useState } from "react";
import { useMe } from "../api/queries";
import { PROVIDER_CONFIRM, useConfirmed } from "../api/signIn";

interface SigningPasswordProps {
  value: string;
  onChange: (typed: string) => void;
  required?: boolean;
  sx?: object;
}

export function SigningPassword({ value, onChange, required = false, sx = {} }: SigningPasswordProps) {
  const me = useMe().data;
  const [state, setState] = useState<"typed" | "waits" | "confirmed">("typed");
  const provider = me?.confirms_by;
  // Whoever began to confirm, and did not, can still type a password.
  const confirmed = state === "confirmed" && value !== "";
  const take = useCallback(
    (code: string) => {
      setState("confirmed");
      onChange(code);
    },
    [onChange],
  );
  useConfirmed(state === "waits", take);
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
      {(!provider || me.has_password) && !confirmed && (
        <TextField
          required={required}
          type="password"
          label="Your password, to sign"
          autoComplete="current-password"
          value={value}
          onChange={(event) => onChange(event.target.value)}
          sx={sx}
        />
      )}
      {provider && (
        <Button
          variant="outlined"
          component="a"
          href={PROVIDER_CONFIRM}
          target="_blank"
          rel="opener"
          onClick={() => {
            onChange("");
            setState("waits");
          }}
        >
          Confirm by {provider} that it is you
        </Button>
      )}
      {state === "waits" && <span role="status">Waits for it, in the other tab.</span>}
      {confirmed && <span role="status">Confirmed, for one signature.</span>}
    </Box>
  );
}
