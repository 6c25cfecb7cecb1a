/** What is done about a case beside its review, each with a reason: one dialog behind one button of the case's head. */
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import type { Case, Schemas } from "../api/client";
import { useHandle, useHandling, type CaseAct, type CaseDone } from "../api/handling";
import { Fetching, Said } from "../parts/Said";
import { useUnsent } from "../parts/unsent";
import { SERIF } from "../theme";

const ACTS: Record<CaseAct, { does: string; keeps: string; more?: string }> = {
  hand_over: { does: "Hand it over to another reviewer", keeps: "Hand it over" },
  release: {
    does: "Release it, so that another may take it",
    keeps: "Release it",
    more: "Roles, plan and findings stay as they are. You can't countersign it later.",
  },
  reschedule: { does: "Give it another date", keeps: "Keep the date" },
  prioritise: { does: "Give it another priority", keeps: "Keep the priority" },
  take_back: {
    does: "Take the proposed decision back",
    keeps: "Take it back",
    more: "The case is in review again; the proposal stays in the record with your reason.",
  },
  withdraw: {
    does: "Withdraw this version from review",
    keeps: "Withdraw it",
    more: "A run that goes on ends. The version can't be sent again; send the next one instead.",
  },
};

/** The words of the button: of the whole dialog, or of the one act it has. */
function wordsOf(acts: readonly CaseAct[]): string {
  const [only, another] = acts;
  if (only && !another) return ACTS[only].keeps.replace(" it", "");
  return acts.includes("hand_over")
    ? "Hand over, put off"
    : acts.includes("take_back")
      ? "Take back, put off"
      : "Put off";
}

export function HandleCase({ theCase }: { theCase: Case }) {
  const [open, setOpen] = useState(false);
  const acts = theCase.may.handle;
  if (acts.length === 0) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>{wordsOf(acts)} …</Button>
      {open && <HandleDialog theCase={theCase} onClose={() => setOpen(false)} />}
    </>
  );
}

function HandleDialog({ theCase, onClose }: { theCase: Case; onClose: () => void }) {
  const shown = useHandling(theCase.id);
  return (
    <Dialog open onClose={onClose} aria-labelledby="handle-title" maxWidth="sm" fullWidth>
      <DialogTitle id="handle-title" sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
        {theCase.model} {theCase.version}
      </DialogTitle>
      {shown.data ? (
        <HandleForm theCase={theCase} shown={shown.data} onClose={onClose} />
      ) : (
        <DialogContent>
          {shown.error ? <Said error={shown.error} /> : <Fetching what="who may take it" />}
        </DialogContent>
      )}
    </Dialog>
  );
}

interface HandleFormProps {
  theCase: Case;
  shown: Schemas["HandlingView"];
  onClose: () => void;
}

function HandleForm({ theCase, shown, onClose }: HandleFormProps) {
  const handle = useHandle(theCase.id);
  const [act, setAct] = useState<CaseAct | undefined>(shown.acts[0]);
  const { typed, put, letGo } = useUnsent(`brookfall.handling.${theCase.id}`, {
    reason: "",
    to: "",
    due: shown.due ?? "",
    priority: shown.priority as string,
  });
  if (!act) return <DialogContent>Nothing can be done about the case as it stands now.</DialogContent>;
  const complete = typed.reason.trim() && (act !== "hand_over" || typed.to);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const done: CaseDone = {
      act,
      state: theCase.state as CaseDone["state"],
      reason: typed.reason,
      to: act === "hand_over" ? typed.to : "",
      due: act === "reschedule" && typed.due ? typed.due : null,
      priority: act === "prioritise" ? (typed.priority as CaseDone["priority"]) : null,
    };
    handle.mutate(done, {
      onSuccess: () => {
        letGo();
        onClose();
      },
    });
  };
  return (
    <form onSubmit={submit}>
      <DialogContent sx={{ display: "grid", gap: 1.5, pt: 0 }}>
        <RadioGroup aria-label="What is done" value={act} onChange={(_, value) => setAct(value as CaseAct)}>
          {shown.acts.map((one) => (
            <FormControlLabel key={one} value={one} label={ACTS[one].does} control={<Radio size="small" />} />
          ))}
        </RadioGroup>
        {ACTS[act].more && <span>{ACTS[act].more}</span>}
        {act === "hand_over" && (
          <TextField
            select
            label="New reviewer"
            value={shown.reviewers.some((one) => one.login === typed.to) ? typed.to : ""}
            onChange={(event) => put({ to: event.target.value })}
            helperText={
              shown.reviewers.length === 0
                ? "Nobody else reviews, without belonging to the model or having judged it."
                : undefined
            }
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 320 }}
          >
            {shown.reviewers.map((one) => (
              <MenuItem key={one.login} value={one.login}>
                {one.name}
              </MenuItem>
            ))}
          </TextField>
        )}
        {act === "reschedule" && (
          <TextField
            label="Due on, none where it is empty"
            type="date"
            value={typed.due}
            onChange={(event) => put({ due: event.target.value })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 240 }}
          />
        )}
        {act === "prioritise" && (
          <TextField
            select
            label="Priority"
            value={typed.priority}
            onChange={(event) => put({ priority: event.target.value })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 240 }}
          >
            {["high", "normal", "low"].map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField
          label="Why"
          multiline
          minRows={2}
          value={typed.reason}
          onChange={(event) => put({ reason: event.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Said error={handle.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close; what is written stays here</Button>
        <Button type="submit" variant="contained" disabled={handle.isPending || !complete}>
          {ACTS[act].keeps}
        </Button>
      </DialogActions>
    </form>
  );
}
