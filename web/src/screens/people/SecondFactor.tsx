/** One's own second factor: set up with an authenticator, its recovery codes, taken away. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useBeginSecondFactor, useConfirmSecondFactor, useEndSecondFactor, useSecondFactor } from "../../api/people";
import { Said } from "../../parts/Said";
import { day, plural } from "../../wording";

export function SecondFactor() {
  const factor = useSecondFactor();
  const begin = useBeginSecondFactor();
  const confirm = useConfirmSecondFactor();
  const end = useEndSecondFactor();
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  if (!factor.data) return <Said error={factor.error} />;
  const on = factor.data.since !== null;
  const withPassword = (event: FormEvent) => {
    event.preventDefault();
    const forget = { onSuccess: () => setPassword("") };
    if (on) end.mutate(password, { onSuccess: () => (forget.onSuccess(), begin.reset(), confirm.reset()) });
    else begin.mutate(password, forget);
  };
  const withCode = (event: FormEvent) => {
    event.preventDefault();
    confirm.mutate(code, { onSuccess: () => setCode("") });
  };
  return (
    <Box component="section" aria-label="Second factor" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Second factor
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1.5 }}>
        {on
          ? `Since ${day(factor.data.since)} signing in takes a code of your authenticator besides the password. ${plural(factor.data.codes, "recovery code is", "recovery codes are")} left.`
          : "Signing in can take a code besides the password, which an authenticator on your telephone shows: who has your password alone gets nowhere."}
      </Typography>
      {confirm.data && on && (
        <Box role="status" sx={{ borderLeft: 3, borderColor: "primary.main", pl: 1.5, mb: 2 }}>
          <Typography>
            Print these recovery codes, or write them down: each stands in once for a code of an authenticator that was
            lost. They are shown this once.
          </Typography>
          <Box
            component="ul"
            aria-label="Recovery codes"
            sx={{ columns: 2, maxWidth: 420, fontFamily: "monospace", pl: 2 }}
          >
            {confirm.data.codes.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </Box>
        </Box>
      )}
      {!on && begin.data ? (
        <Box sx={{ display: "flex", gap: 3, alignItems: "flex-start" }}>
          <img
            src={begin.data.picture}
            alt="The square code to be read by the authenticator; the key beside it says the same."
            width={180}
            height={180}
          />
          <Box
            component="form"
            aria-label="Confirm the second factor"
            onSubmit={withCode}
            sx={{ display: "grid", gap: 1.5 }}
          >
            <Typography>
              Let the authenticator read the picture, or type its key:{" "}
              <Box
                component="code"
                aria-label="Key of the authenticator"
                sx={{ wordBreak: "break-all", userSelect: "all" }}
              >
                {begin.data.secret}
              </Box>
            </Typography>
            <Box sx={{ display: "flex", gap: 1 }}>
              <TextField
                required
                label="The code it shows now"
                autoComplete="one-time-code"
                value={code}
                onChange={(event) => setCode(event.target.value)}
                slotProps={{ htmlInput: { inputMode: "numeric" } }}
              />
              <Button
                type="submit"
                variant="contained"
                sx={{ flex: "none" }}
                disabled={confirm.isPending || !code.trim()}
              >
                Confirm it
              </Button>
            </Box>
            <Said error={confirm.error} />
          </Box>
        </Box>
      ) : (
        <Box
          component="form"
          aria-label="Change the second factor"
          onSubmit={withPassword}
          sx={{ display: "flex", gap: 1 }}
        >
          <TextField
            required
            type="password"
            label="Your password"
            sx={{ width: 320 }}
            autoComplete="current-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          <Button
            type="submit"
            variant="outlined"
            disabled={begin.isPending || end.isPending || !password}
            sx={{ whiteSpace: "nowrap", flex: "none" }}
          >
            {on ? "Take it away" : "Set up a second factor"}
          </Button>
        </Box>
      )}
      <Said error={begin.error ?? end.error} />
    </Box>
  );
}
