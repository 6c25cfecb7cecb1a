/** What the validators of a case share beside it: it stays, and nobody who belongs to the model sees it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { FormEvent } from "react";
import { useSharedNotes, useShareNote } from "../api/notes";
import { Said } from "../parts/Said";
import { useUnsent } from "../parts/unsent";
import { moment } from "../wording";

export function SharedNotes({ caseId }: { caseId: number }) {
  const shared = useSharedNotes(caseId);
  const share = useShareNote(caseId);
  const { typed, put } = useUnsent(`brookfall.shared-note.${caseId}`, { text: "" });
  const seen = shared.data;
  if (!seen || (!seen.may_share && seen.notes.length === 0)) return <Said error={shared.error} />;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    share.mutate(typed.text, { onSuccess: () => put({ text: "" }) });
  };
  return (
    <Box component="section" aria-label="Shared notes">
      <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
        Shared with the other validators
      </Typography>
      {seen.notes.map((note) => (
        <Box key={note.id} sx={{ borderTop: 1, borderColor: "divider", py: 0.5, fontSize: "size.cell" }}>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {note.by}, {moment(note.at)}
          </Typography>
          <Box sx={{ whiteSpace: "pre-line", overflowWrap: "anywhere" }}>{note.text}</Box>
        </Box>
      ))}
      {seen.may_share && (
        <Box component="form" aria-label="Share a note" onSubmit={submit} sx={{ mt: 0.5 }}>
          <TextField
            multiline
            minRows={2}
            value={typed.text}
            onChange={(event) => put({ text: event.target.value })}
            slotProps={{ htmlInput: { "aria-label": "Note to share" } }}
            placeholder="Seen by validators and auditors, never by owners. It stays."
          />
          <Said error={share.error} />
          <Button type="submit" size="small" disabled={share.isPending || !typed.text.trim()} sx={{ ml: "-5px" }}>
            Share it
          </Button>
        </Box>
      )}
    </Box>
  );
}
