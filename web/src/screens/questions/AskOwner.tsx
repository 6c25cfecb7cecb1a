/** Asks the owner something, of the case as a whole or of what stands beside the button. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import { useAsk, type About } from "../../api/questions";
import { useKeys } from "../../frame/keys";
import { Kbd } from "../../parts/Kbd";
import { Said } from "../../parts/Said";
import { useUnsent } from "../../parts/unsent";
import { SERIF } from "../../theme";

interface AskOwnerProps {
  caseId: number;
  about?: About;
  /** What it is about, as it reads beside the button. */
  words?: string;
  /** Whether the key that asks is this button's. */
  byKey?: boolean;
  small?: boolean;
}

export function AskOwner({ caseId, about, words, byKey = false, small = false }: AskOwnerProps) {
  const [open, setOpen] = useState(false);
  useKeys(byKey ? [{ keys: "q", does: "ask the owner about this", act: () => setOpen(true) }] : []);
  return (
    <>
      <Button
        variant={small ? "text" : "outlined"}
        {...(small ? { size: "small" as const } : {})}
        aria-label={words && small ? `Ask the owner about ${words}` : undefined}
        onClick={() => setOpen(true)}
      >
        Ask the owner
        {byKey && (
          <>
            &nbsp; <Kbd>q</Kbd>
          </>
        )}
      </Button>
      {open && <AskDialog caseId={caseId} about={about} words={words} onClose={() => setOpen(false)} />}
    </>
  );
}

interface AskDialogProps {
  caseId: number;
  about: About | undefined;
  words: string | undefined;
  onClose: () => void;
}

function AskDialog({ caseId, about, words, onClose }: AskDialogProps) {
  const ask = useAsk(caseId);
  const place = `brookfall.question.${caseId}.${about ? `${about.kind}.${about.key}` : "case"}`;
  const { typed, put, letGo } = useUnsent(place, { text: "", due: "", holds: true });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { text, due, holds } = typed;
    ask.mutate(
      { text, holds, due: due || null, about: about ?? null },
      {
        onSuccess: () => {
          letGo();
          onClose();
        },
      },
    );
  };
  return (
    <Dialog open onClose={onClose} aria-labelledby="ask-title" maxWidth="sm" fullWidth>
      <form onSubmit={submit}>
        <DialogTitle id="ask-title" sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
          Ask the owner
        </DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 1.5 }}>
          {words && (
            <Box
              component="blockquote"
              sx={{ m: 0, pl: 1.25, borderLeft: 2, borderColor: "primary.main", fontFamily: SERIF }}
            >
              {words}
            </Box>
          )}
          <TextField
            label="Question"
            multiline
            minRows={3}
            autoFocus
            value={typed.text}
            onChange={(event) => put({ text: event.target.value })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ mt: 1 }}
          />
          <TextField
            label="To be answered by"
            helperText="Left empty: the policy’s days from today."
            type="date"
            value={typed.due}
            onChange={(event) => put({ due: event.target.value })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 260 }}
          />
          <FormControlLabel
            label="The case waits for the answer"
            control={<Checkbox checked={typed.holds} onChange={(event) => put({ holds: event.target.checked })} />}
          />
          <Said error={ask.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Close; what is written stays here</Button>
          <Button type="submit" variant="contained" disabled={ask.isPending || !typed.text.trim()}>
            Ask
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
