/** Deviations: a locked plan is opened again with a reason, and what was changed under it stays to be read. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useOpenDeviation, useTakeDeviationBack } from "../../api/queries";
import { Said } from "../../parts/Said";
import { moment } from "../../wording";

type Deviation = Schemas["DeviationView"];

/** The open deviation, with what it has changed so far. */
export function OpenDeviation({
  caseId,
  deviation,
  mayReview,
}: {
  caseId: number;
  deviation: Deviation;
  mayReview: boolean;
}) {
  const takeBack = useTakeDeviationBack(caseId);
  return (
    <Box
      role="status"
      sx={{
        display: "flex",
        gap: 2,
        alignItems: "flex-start",
        borderLeft: 3,
        borderColor: "brook.ochre",
        pl: 1.5,
        py: 0.5,
        my: 1,
      }}
    >
      <Box sx={{ flex: 1 }}>
        <Typography>
          <b>Deviation {deviation.number} is open:</b> {deviation.reason}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          Plan, roles and data can be changed until the plan is locked again.{" "}
          {deviation.said.length === 0 && "Nothing has been changed yet."}
        </Typography>
        <Lines lines={deviation.said} />
        <Said error={takeBack.error} />
      </Box>
      {mayReview && (
        <Button disabled={takeBack.isPending} onClick={() => takeBack.mutate()}>
          Take it back
        </Button>
      )}
    </Box>
  );
}

/** All that is closed, as the report will show it. */
export function PastDeviations({ deviations }: { deviations: Deviation[] }) {
  const past = deviations.filter((one) => one.closed);
  if (past.length === 0) return null;
  return (
    <Box component="section" aria-label="Deviations" sx={{ py: 1.5 }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>
        Deviations since it was locked
      </Typography>
      {past.map((one) => (
        <PastDeviation key={one.number} deviation={one} />
      ))}
    </Box>
  );
}

export function PastDeviation({ deviation }: { deviation: Deviation }) {
  return (
    <Box sx={{ mb: 1 }}>
      <Typography>
        {deviation.number}. {deviation.reason}
      </Typography>
      <Lines lines={deviation.said} />
      <Typography variant="body2" color="text.secondary">
        By {deviation.by}, opened {moment(deviation.opened)}
        {deviation.closed ? `, locked again ${moment(deviation.closed)}` : ", still open"}.
      </Typography>
    </Box>
  );
}

function Lines({ lines }: { lines: string[] }) {
  return (
    <Box component="ul" sx={{ m: 0, pl: 2.5, fontSize: "size.text" }}>
      {lines.map((line) => (
        <li key={line}>{line}</li>
      ))}
    </Box>
  );
}

/** Asks for the reason first: without one nothing is opened. */
export function DeviationForm({ caseId, onDone }: { caseId: number; onDone: () => void }) {
  const open = useOpenDeviation(caseId);
  const [reason, setReason] = useState("");
  return (
    <Box
      component="form"
      aria-label="Deviation"
      sx={{ display: "flex", gap: 1, alignItems: "flex-start", px: 3, py: 1, borderTop: 1, borderColor: "divider" }}
      onSubmit={(event) => {
        event.preventDefault();
        open.mutate(reason, { onSuccess: onDone });
      }}
    >
      <Box sx={{ flex: 1 }}>
        <TextField
          autoFocus
          required
          fullWidth
          multiline
          label="Why the locked plan has to change; the report shows this"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <Said error={open.error} />
      </Box>
      <Button type="submit" variant="contained" disabled={open.isPending || !reason.trim()}>
        Open it for this
      </Button>
      <Button onClick={onDone}>Leave it locked</Button>
    </Box>
  );
}
