import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { Refusal } from "../api/client";
import { useSignIn } from "../api/queries";
import { providerSignIn, REFUSALS, useSignInWays } from "../api/signIn";
import { Said } from "../parts/Said";

export function SignIn() {
  const signIn = useSignIn();
  const ways = useSignInWays().data;
  const { pathname, search } = window.location;
  const refused = new URLSearchParams(search).get("refused");
  const problem = signIn.error instanceof Refusal ? signIn.error.problem : null;
  // Once a code was wanted it is asked for until somebody is signed in.
  const [wantsCode, setWantsCode] = useState(false);
  if (problem?.where === "code" && !wantsCode) setWantsCode(true);
  const { register, handleSubmit } = useForm({ defaultValues: { login: "", password: "", code: "" } });
  return (
    <Box component="main" sx={{ maxWidth: 380, mx: "auto", pt: 14, px: 3 }}>
      <svg width={66} height={44} viewBox="0 0 22 16" aria-hidden="true">
        <path
          d="M2 2h6v5h6v5h6"
          fill="none"
          stroke="var(--mui-palette-primary-main)"
          strokeWidth={1.6}
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      </svg>
      <Typography variant="h1" sx={{ fontSize: "size.hero", mt: 1 }}>
        Brookfall
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 3 }}>
        Models re-tested independently, with the evidence kept.
      </Typography>
      {refused && (
        <Typography role="alert" sx={{ color: "brook.brick", mb: 2 }}>
          {REFUSALS[refused] ?? REFUSALS.failed}
        </Typography>
      )}
      {ways?.provider && (
        <Button
          variant={ways.local ? "outlined" : "contained"}
          size="medium"
          component="a"
          href={providerSignIn(refused ? "/" : `${pathname}${search}`)}
          sx={{ width: "100%", mb: 3 }}
        >
          Sign in by {ways.provider}
        </Button>
      )}
      {ways?.local === false ? null : (
        <Box
          component="form"
          onSubmit={(event) => void handleSubmit((values) => signIn.mutate(values))(event)}
          sx={{ display: "grid", gap: 2 }}
        >
          <TextField label="Name to sign in with" autoComplete="username" autoFocus required {...register("login")} />
          <TextField
            label="Password"
            type="password"
            autoComplete="current-password"
            required
            {...register("password")}
          />
          {wantsCode && (
            <TextField
              label="Code of your authenticator, or a recovery code"
              autoComplete="one-time-code"
              autoFocus
              required
              {...register("code")}
            />
          )}
          {problem?.where === "code" ? (
            <Typography role="status">
              {problem.detail} {problem.todo}
            </Typography>
          ) : (
            <Said error={signIn.error} />
          )}
          <Button type="submit" variant="contained" size="medium" disabled={signIn.isPending}>
            Sign in
          </Button>
        </Box>
      )}
    </Box>
  );
}
