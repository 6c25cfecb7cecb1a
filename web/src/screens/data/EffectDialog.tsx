/** What a change would do, before it is done. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import type { Change } from "../../api/client";
import { useEffectOf } from "../../api/queries";
import { Fetching, Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { plural } from "../../wording";

interface EffectDialogProps {
  caseId: number;
  changes: Change[];
  change: Change;
  onDo: () => void;
  onClose: () => void;
}

export function EffectDialog({ caseId, changes, change, onDo, onClose }: EffectDialogProps) {
  const effect = useEffectOf(caseId, [...changes, change]);
  const shown = effect.data;
  const said = shown?.said.at(-1) ?? "";
  return (
    <Dialog open onClose={onClose} aria-labelledby="effect-title" maxWidth="sm" fullWidth>
      <DialogTitle id="effect-title" sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
        {said ? `${said.slice(0, 1).toUpperCase()}${said.slice(1)}` : "What this would do"}
      </DialogTitle>
      <DialogContent>
        {effect.isPending && <Fetching what="what this would do" />}
        <Said error={effect.error} />
        {shown && (
          <>
            <Typography sx={{ mb: 1 }}>
              {shown.rows_after === shown.rows_before
                ? `All ${plural(shown.rows_before, "row")} stay.`
                : `Of ${plural(shown.rows_before, "row")}, ${plural(shown.rows_before - shown.rows_after, "row")} would be left out and ${shown.rows_after.toLocaleString("en").replaceAll(",", "\u202f")} stay.`}
            </Typography>
            {shown.columns.map((column) => (
              <Box key={column.name} sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}>
                <Typography sx={{ fontWeight: 550 }}>{column.name}</Typography>
                <Box component="dl" sx={{ m: 0, display: "grid", gridTemplateColumns: "60px 1fr", rowGap: 0.25 }}>
                  <Box component="dt" sx={{ color: "text.secondary" }}>
                    now
                  </Box>
                  <Box component="dd" sx={{ m: 0 }}>
                    {column.before ?? "not there"}
                  </Box>
                  <Box component="dt" sx={{ color: "text.secondary" }}>
                    then
                  </Box>
                  <Box component="dd" sx={{ m: 0 }}>
                    {column.after ?? "not there"}
                  </Box>
                  {column.examples.length > 0 && (
                    <>
                      <Box component="dt" sx={{ color: "text.secondary" }}>
                        cells
                      </Box>
                      <Box component="dd" sx={{ m: 0 }}>
                        {column.examples.map(([old, now]) => `${old ?? "gap"} → ${now ?? "gap"}`).join(" · ")}
                      </Box>
                    </>
                  )}
                </Box>
              </Box>
            ))}
            <Typography variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
              This makes a new version of the table. What was submitted stays as it is, and the report lists the change.
            </Typography>
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={!shown} onClick={onDo}>
          Do it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
