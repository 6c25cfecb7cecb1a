/** The form of an act that is said in words, with files where it takes them. What is typed stays until it is kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import { FilesChosen } from "./FilesChosen";
import { useUnsent } from "./unsent";

interface SayFormProps {
  /** What the form is, for who can't see it. */
  name: string;
  /** Where this browser keeps what is typed. */
  place: string;
  label: string;
  /** What its button says. */
  keeps: string;
  takesFiles: boolean;
  busy: boolean;
  /** Whether it was kept; then what was typed is let go. */
  onDone: (text: string, files: File[]) => Promise<boolean>;
  onClose: () => void;
}

export function SayForm({ name, place, label, keeps, takesFiles, busy, onDone, onClose }: SayFormProps) {
  const { typed, put, letGo } = useUnsent(place, { text: "" });
  const [files, setFiles] = useState<File[]>([]);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (await onDone(typed.text, files)) letGo();
  };
  return (
    <Box
      component="form"
      aria-label={name}
      onSubmit={(event) => void submit(event)}
      sx={{ display: "grid", gap: 1.5, mt: 1.5, maxWidth: 760 }}
    >
      <TextField
        label={label}
        multiline
        minRows={3}
        autoFocus
        value={typed.text}
        onChange={(event) => put({ text: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      {takesFiles && <FilesChosen files={files} onChange={setFiles} />}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={busy || !typed.text.trim()}>
          {keeps}
        </Button>
        <Button onClick={onClose}>Close; what is written stays here</Button>
      </Box>
    </Box>
  );
}
