/** What the reviewer calls the plan, and a note on it; neither changes a figure, so a locked plan takes both. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { FormEvent } from "react";
import type { Schemas } from "../../api/client";
import { useNamePlan } from "../../api/queries";
import { Said } from "../../parts/Said";
import { useUnsent } from "../../parts/unsent";

interface PlanNameProps {
  caseId: number;
  view: Pick<Schemas["PlanView"], "name" | "note">;
  /** Opens the form; nobody but the reviewer has it. */
  onName: (() => void) | undefined;
  naming: boolean;
  onDone: () => void;
}

export function PlanName({ caseId, view, onName, naming, onDone }: PlanNameProps) {
  if (naming) return <NameForm caseId={caseId} view={view} onDone={onDone} />;
  if (!view.name && !view.note) return null;
  return (
    <Box component="section" aria-label="Name of the plan" sx={{ pb: 1, borderBottom: 1, borderColor: "divider" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Typography variant="h2">{view.name || "Note on this plan"}</Typography>
        {onName && <Button onClick={onName}>Change name or note</Button>}
      </Box>
      {view.note && <Typography sx={{ whiteSpace: "pre-line", maxWidth: 760 }}>{view.note}</Typography>}
    </Box>
  );
}

function NameForm({ caseId, view, onDone }: Pick<PlanNameProps, "caseId" | "view" | "onDone">) {
  const keep = useNamePlan(caseId);
  const { typed, put, letGo } = useUnsent(`brookfall.plan-name.${caseId}`, { name: view.name, note: view.note });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    keep.mutate(typed, {
      onSuccess: () => {
        letGo();
        onDone();
      },
    });
  };
  return (
    <Box
      component="form"
      aria-label="Name of the plan"
      onSubmit={submit}
      sx={{ display: "grid", gap: 1.5, py: 1, maxWidth: 760 }}
    >
      <TextField
        label="Name of the plan"
        placeholder="such as: twelve folds, by station"
        autoFocus
        value={typed.name}
        onChange={(event) => put({ name: event.target.value })}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 120 } }}
      />
      <TextField
        label="Note on it"
        multiline
        minRows={2}
        value={typed.note}
        onChange={(event) => put({ note: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Said error={keep.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={keep.isPending}>
          Save name and note
        </Button>
        <Button onClick={onDone}>Close; what is written stays here</Button>
      </Box>
    </Box>
  );
}
