/** The password, typed again by whoever signs. */
import TextField from "@mui/material/TextField";

interface SigningPasswordProps {
  value: string;
  onChange: (typed: string) => void;
  required?: boolean;
  sx?: object;
}

export function SigningPassword({ value, onChange, required = false, sx = {} }: SigningPasswordProps) {
  return (
    <TextField
      required={required}
      type="password"
      label="Your password, to sign"
      autoComplete="current-password"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      sx={sx}
    />
  );
}
