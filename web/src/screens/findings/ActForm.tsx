/** The form of an act on a finding that takes words: an answer, a reason, a date. What is typed stays until it is kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import type { Finding } from "../../api/client";
import type { FindingAct, FindingDone } from "../../api/findings";
import { Addressees } from "./Addressees";
import { FilesChosen } from "../../parts/FilesChosen";
import { useUnsent } from "../../parts/unsent";

export type SaidAct = Exclude<FindingAct, "change" | "send" | "retest">;

/** The acts in the order of their buttons. */
export const BUTTONS: readonly [SaidAct, string][] = [
  ["answer", "Answer"],
  ["close", "Close it"],
  ["accept", "Accept as a risk"],
  ["reopen", "Open it again"],
  ["withdraw", "Withdraw it"],
  ["comment", "Comment"],
];

const LABELS: Record<SaidAct, string> = {
  answer: "What you say to it",
  close: "Why it is closed",
  accept: "Why the risk is accepted",
  reopen: "Why it is open again",
  withdraw: "Why it is withdrawn",
  comment: "Comment",
};
const KEEPS: Record<SaidAct, string> = {
  answer: "Send the answer",
  close: "Close the finding",
  accept: "Accept the risk",
  reopen: "Open the finding again",
  withdraw: "Withdraw the finding",
  comment: "Send the comment",
};
const ANSWERS: readonly [NonNullable<FindingDone["answer"]>, string][] = [
  ["agrees", "We agree"],
  ["disputes", "We dispute it, for these reasons"],
  ["mended", "It is mended"],
];

interface Typed {
  text: string;
  answer: FindingDone["answer"];
  version: string;
  until: string;
  to: string[];
}

const NOTHING: Typed = { text: "", answer: null, version: "", until: "", to: [] };

interface ActFormProps {
  caseId: number;
  finding: Finding;
  act: SaidAct;
  busy: boolean;
  /** Whether it was kept; then what was typed is let go. */
  onDone: (done: FindingDone, files: File[]) => Promise<boolean>;
  onClose: () => void;
}

export function ActForm({ caseId, finding, act, busy, onDone, onClose }: ActFormProps) {
  const { typed, put, letGo } = useUnsent<Typed>(`brookfall.finding-act.${caseId}.${finding.id}.${act}`, NOTHING);
  const [files, setFiles] = useState<File[]>([]);
  const needsText = act === "answer" ? typed.answer === "disputes" : !(act === "withdraw" && finding.state === "draft");
  const missing =
    (needsText && !typed.text.trim()) ||
    (act === "answer" && typed.answer === null) ||
    (typed.answer === "mended" && !typed.version.trim()) ||
    (act === "accept" && !typed.until);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const done: FindingDone = {
      act,
      revision: finding.revision,
      text: typed.text,
      answer: act === "answer" ? typed.answer : null,
      version: typed.answer === "mended" ? typed.version : "",
      until: act === "accept" ? typed.until : null,
      to: act === "comment" ? typed.to : [],
    };
    if (await onDone(done, files)) letGo();
  };
  return (
    <Box
      component="form"
      aria-label={`${BUTTONS.find(([one]) => one === act)?.[1]}, finding ${finding.number}`}
      onSubmit={(event) => void submit(event)}
      sx={{ display: "grid", gap: 1.5, mt: 1.5, maxWidth: 760 }}
    >
      {act === "answer" && (
        <RadioGroup
          aria-label="The answer"
          value={typed.answer ?? ""}
          onChange={(event) => put({ answer: event.target.value as Typed["answer"] })}
        >
          {ANSWERS.map(([value, words]) => (
            <FormControlLabel
              key={value}
              value={value}
              control={<Radio size="small" sx={{ py: 0.5 }} />}
              label={words}
            />
          ))}
        </RadioGroup>
      )}
      {typed.answer === "mended" && act === "answer" && (
        <TextField
          label="In which version"
          slotProps={{ inputLabel: { shrink: true } }}
          value={typed.version}
          onChange={(event) => put({ version: event.target.value })}
          sx={{ width: 260 }}
        />
      )}
      <TextField
        label={LABELS[act]}
        multiline
        minRows={3}
        autoFocus={act !== "answer"}
        value={typed.text}
        onChange={(event) => put({ text: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      {act === "comment" && <Addressees caseId={caseId} to={typed.to} onChange={(to) => put({ to })} />}
      {act === "accept" && (
        <TextField
          label="Until, that day included"
          type="date"
          value={typed.until}
          onChange={(event) => put({ until: event.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 220 }}
        />
      )}
      {(act === "answer" || act === "comment" || act === "close") && <FilesChosen files={files} onChange={setFiles} />}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={busy || missing}>
          {KEEPS[act]}
        </Button>
        <Button onClick={onClose}>Close; what is written stays here</Button>
      </Box>
    </Box>
  );
}
