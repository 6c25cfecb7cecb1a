/** The form of an act on a condition: its words and files. What is typed stays until it is kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import type { Condition, ConditionAct } from "../../api/conditions";
import { FilesChosen } from "../../parts/FilesChosen";
import { useUnsent } from "../../parts/unsent";

export type SaidAct = Exclude<ConditionAct, "see">;

/** The acts in the order of their buttons. */
export const BUTTONS: readonly [SaidAct, string][] = [
  ["send", "Send evidence"],
  ["meet", "It is met"],
  ["turn_down", "It is not met"],
  ["send_back", "Send it back to be judged"],
  ["comment", "Comment"],
];

const LABELS: Record<SaidAct, string> = {
  send: "What shows that it is met",
  meet: "Why it is met",
  turn_down: "What is missing",
  send_back: "Why it has to be judged again",
  comment: "Comment",
};
const KEEPS: Record<SaidAct, string> = {
  send: "Send the evidence",
  meet: "Judge it met",
  turn_down: "Judge it not met",
  send_back: "Send it back",
  comment: "Send the comment",
};

interface ConditionFormProps {
  caseId: number;
  condition: Condition;
  act: SaidAct;
  busy: boolean;
  /** Whether it was kept; then what was typed is let go. */
  onDone: (text: string, files: File[]) => Promise<boolean>;
  onClose: () => void;
}

export function ConditionForm({ caseId, condition, act, busy, onDone, onClose }: ConditionFormProps) {
  const place = `brookfall.condition-act.${caseId}.${condition.number}.${act}`;
  const { typed, put, letGo } = useUnsent(place, { text: "" });
  const [files, setFiles] = useState<File[]>([]);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (await onDone(typed.text, files)) letGo();
  };
  return (
    <Box
      component="form"
      aria-label={`${BUTTONS.find(([one]) => one === act)?.[1]}, condition ${condition.number}`}
      onSubmit={(event) => void submit(event)}
      sx={{ display: "grid", gap: 1.5, mt: 1.5, maxWidth: 760 }}
    >
      <TextField
        label={LABELS[act]}
        multiline
        minRows={3}
        autoFocus
        value={typed.text}
        onChange={(event) => put({ text: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <FilesChosen files={files} onChange={setFiles} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={busy || !typed.text.trim()}>
          {KEEPS[act]}
        </Button>
        <Button onClick={onClose}>Close; what is written stays here</Button>
      </Box>
    </Box>
  );
}
