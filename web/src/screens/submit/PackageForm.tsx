/** A package as one zip. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useSaveBrief, useSubmission, useTakeAway, type Draft } from "../../api/drafts";
import { Said } from "../../parts/Said";
import { size } from "../../wording";
import { Due } from "./Due";
import { FileDrop } from "./FileDrop";
import { Sent } from "./Sent";
import { useUploads } from "./uploads";

export function PackageForm({ draft }: { draft: Draft }) {
  const uploads = useUploads(draft.id);
  const takeAway = useTakeAway(draft.id);
  const save = useSaveBrief(draft.id);
  const submission = useSubmission(draft.id);
  const [choosing, setChoosing] = useState(false);
  const [file] = draft.files;
  /** Until the chosen file has taken the place of the one before, nothing can be submitted: it would be the old one. */
  const choose = async (chosen: File | undefined) => {
    if (!chosen) return;
    setChoosing(true);
    try {
      for (const other of draft.files.filter((one) => one.path !== chosen.name)) await takeAway.mutateAsync(other.path);
      await uploads.send(chosen.name, chosen);
    } catch {
      // Said beside the form by the mutation itself.
    } finally {
      setChoosing(false);
    }
  };
  return (
    <Box sx={{ display: "grid", gap: 1.5, justifyItems: "start" }}>
      <Due due={draft.due} onSet={(due) => save.mutate({ brief: draft.brief, due, revision: draft.revision })} />
      <FileDrop
        label="Package:"
        accept=".zip"
        onFiles={(files) => void choose(files[0])}
        chosen={file && file.received === file.size ? [`${file.path}, ${size(file.size)}`] : []}
      />
      {file && (
        <Box sx={{ width: "100%" }}>
          <Sent path={file.path} file={file} uploads={uploads} />
        </Box>
      )}
      <Said error={submission.error ?? takeAway.error ?? save.error} />
      <Button
        variant="contained"
        disabled={!file || file.received < file.size || choosing || submission.isPending}
        onClick={() => submission.mutate()}
      >
        Submit the package
      </Button>
    </Box>
  );
}
