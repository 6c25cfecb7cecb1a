/** One of a few values, chosen from a list. */
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

interface ChoiceProps {
  label: string;
  width: number;
  value: string;
  choices: readonly (readonly [string, string])[];
  onChoose: (value: string) => void;
}

export function Choice({ label, width, value, choices, onChoose }: ChoiceProps) {
  return (
    <TextField
      select
      size="small"
      label={label}
      value={value}
      sx={{ width }}
      onChange={(event) => onChoose(event.target.value)}
    >
      {choices.map(([one, words]) => (
        <MenuItem key={one} value={one}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
}
