/** The margin: one's own notes, those that validators share, and exhibits set aside. Folds away. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef } from "react";
import { Link } from "react-router";
import type { Case } from "../api/client";
import { useRun } from "../api/queries";
import { useKeys } from "./keys";
import { useMarginOf } from "./margin";
import { SharedNotes } from "./SharedNotes";

export function Margin({ theCase, onFold }: { theCase: Case; onFold: () => void }) {
  const { margin, write, saving, failed, isStale, putTogether } = useMarginOf(theCase.id);
  const run = useRun(theCase.id);
  const field = useRef<HTMLTextAreaElement>(null);
  useKeys([{ keys: "w", does: "write a note in the margin", act: () => field.current?.focus() }]);
  const aside = run.data?.exhibits.filter((e) => margin?.set_aside.includes(e.number)) ?? [];
  return (
    <Box
      component="aside"
      aria-label="Margin"
      sx={{
        width: 264,
        flex: "none",
        borderLeft: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
        p: 2,
        overflow: "auto",
      }}
    >
      <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
        <Typography variant="h3">Margin</Typography>
        <Button color="inherit" sx={{ ml: "auto", minWidth: 0 }} onClick={onFold}>
          Fold
        </Button>
      </Box>
      <TextField
        multiline
        minRows={6}
        inputRef={field}
        value={margin?.text ?? ""}
        disabled={!margin}
        onChange={(event) => margin && write({ ...margin, text: event.target.value })}
        slotProps={{ htmlInput: { "aria-label": "Working notes, seen by you alone" } }}
        placeholder="Working notes, seen by you alone. Saved as you type."
      />
      <Typography variant="body2" aria-live="polite" sx={{ color: "text.secondary", minHeight: 18, mt: 0.5 }}>
        {isStale ? (
          <>
            These notes were changed in another window, and nothing was overwritten.{" "}
            <Button onClick={() => void putTogether()}>Put both together</Button>
          </>
        ) : failed ? (
          "Kept in this browser; the server did not take it yet."
        ) : saving ? (
          "Saving …"
        ) : margin?.text ? (
          "Saved"
        ) : (
          ""
        )}
      </Typography>
      <SharedNotes caseId={theCase.id} />
      <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
        Set aside
      </Typography>
      {aside.length === 0 && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          Exhibits you set aside on the Evidence page wait here.
        </Typography>
      )}
      {aside.map((e) => (
        <Box key={e.number} sx={{ display: "flex", fontSize: "size.cell", py: 0.25 }}>
          <Link to={`/cases/${theCase.id}/evidence?exhibit=${e.number}`}>
            {e.number} {e.title}
          </Link>
          <Button
            color="inherit"
            sx={{ ml: "auto", minWidth: 0, py: 0, fontSize: "size.note" }}
            aria-label={`Put exhibit ${e.number} back`}
            onClick={() => margin && write({ ...margin, set_aside: margin.set_aside.filter((n) => n !== e.number) })}
          >
            put back
          </Button>
        </Box>
      ))}
    </Box>
  );
}
