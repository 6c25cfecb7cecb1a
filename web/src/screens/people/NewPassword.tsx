/** A password that is being chosen, with how hard it is to guess in words. */
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { useRating } from "../../api/people";

/** So long nothing is typed before the server is asked: not at every letter. */
const PAUSE_MS = 300;

interface NewPasswordProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** Of the one-time link of who is not signed in. */
  secret?: string;
}

export function NewPassword({ label, value, onChange, secret = "" }: NewPasswordProps) {
  const [asked, setAsked] = useState("");
  useEffect(() => {
    const timer = setTimeout(() => setAsked(value), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [value]);
  const rating = useRating(asked, secret);
  const told = value !== "" && asked === value && rating.data;
  return (
    <Box>
      <TextField
        required
        fullWidth
        type="password"
        label={label}
        autoComplete="new-password"
        value={value}
        onChange={(event) => onChange(event.target.value)}
        slotProps={{ htmlInput: { "aria-describedby": "password-rating" } }}
      />
      <Box
        id="password-rating"
        aria-live="polite"
        sx={{
          fontSize: "size.small",
          minHeight: 20,
          mt: 0.5,
          color: told && !told.good ? "brook.ochre" : "text.secondary",
        }}
      >
        {told && `${told.good ? "Taken: " : "Not taken: "}${told.words}.`} {told && told.advice.join(" ")}
      </Box>
    </Box>
  );
}
