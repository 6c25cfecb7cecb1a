/** A table that the reviewer puts beside the rows: a sample with what was not collected, or later rows. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useState } from "react";
import {
  faultOf,
  useBegin,
  useDraft,
  usePreviewOf,
  useSaveBrief,
  useSubmission,
  useThrowAway,
  type Draft,
} from "../../api/drafts";
import { InlineChoice } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { DATA_FILES } from "../submit/DataFiles";
import { FileDrop } from "../submit/FileDrop";
import { Reading } from "../submit/Reading";
import { Sent } from "../submit/Sent";
import { tableName, type DataFile } from "../submit/dataFile";
import { said } from "../submit/submission";
import { useUploads } from "../submit/uploads";

const KINDS = [
  ["sample", "a sample with columns that the rows lack"],
  ["new_rows", "later rows, to be scored and compared"],
] as const;

interface AddTableProps {
  caseId: number;
  onClose: () => void;
}

export function AddTable({ caseId, onClose }: AddTableProps) {
  const begin = useBegin();
  const throwAway = useThrowAway();
  const [file, setFile] = useState<File | null>(null);
  const draft = useDraft(begin.data?.id ?? null);
  const choose = (chosen: File | undefined) => {
    if (!chosen) return;
    setFile(chosen);
    begin.mutate({ added_to: caseId });
  };
  const close = () => {
    if (draft.data && draft.data.state === "open") throwAway.mutate(draft.data.id);
    onClose();
  };
  return (
    <Dialog open onClose={close} aria-labelledby="add-title" maxWidth="md" fullWidth>
      <DialogTitle id="add-title" sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
        Add a table beside the rows
      </DialogTitle>
      {draft.data && file ? (
        <Chosen draft={draft.data} caseId={caseId} file={file} onClose={close} />
      ) : (
        <>
          <DialogContent>
            <Typography sx={{ mb: 1.5 }}>
              A sample joins a ground that was not collected to the rows that have its key. Later rows are scored and
              compared with those under review, never learned from.
            </Typography>
            <FileDrop label="File:" accept={DATA_FILES} chosen={[]} onFiles={(files) => choose(files[0])} />
            <Said error={begin.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={close}>Close</Button>
          </DialogActions>
        </>
      )}
    </Dialog>
  );
}

function Chosen({ draft, caseId, file, onClose }: { draft: Draft; caseId: number; file: File; onClose: () => void }) {
  const cache = useQueryClient();
  const uploads = useUploads(draft.id);
  const save = useSaveBrief(draft.id);
  const submission = useSubmission(draft.id);
  const [entry, setEntry] = useState<DataFile>({ name: file.name, kind: "sample", part: "", key: "", how: {} });
  const sent = draft.files[0];
  const preview = usePreviewOf(draft.id, sent, entry.how);
  const send = uploads.send;
  useEffect(() => void send(file.name, file), [send, file]);
  const done = draft.state === "done";
  const added = useEffectEvent(() => {
    for (const key of ["data", "look", "plan"]) void cache.invalidateQueries({ queryKey: [key, caseId] });
    onClose();
  });
  useEffect(() => {
    if (done) added();
  }, [done]);
  const add = async () => {
    const brief = {
      name: tableName(entry),
      kind: entry.kind,
      key: entry.kind === "sample" ? entry.key : null,
      read: said(entry.how),
    };
    await save.mutateAsync({ brief: brief as Draft["brief"], due: null, revision: draft.revision });
    submission.mutate();
  };
  const columns = preview.data?.columns ?? [];
  const ready =
    sent !== undefined &&
    sent.received === sent.size &&
    preview.data !== undefined &&
    (entry.kind === "new_rows" || entry.key !== "");
  const taking = draft.state === "waiting" || draft.state === "leased";
  return (
    <>
      <DialogContent>
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 1 }}>
          <strong>{file.name}</strong>
          <span>
            holds{" "}
            <InlineChoice
              name="What it holds"
              value={entry.kind as "sample" | "new_rows"}
              options={KINDS}
              disabled={taking}
              onSet={(kind) => setEntry({ ...entry, kind })}
            />
          </span>
          {entry.kind === "sample" && (
            <span>
              joined by{" "}
              <InlineChoice
                name="Its key"
                value={entry.key}
                options={[["", "choose the key"] as const, ...columns.map((c) => [c.name, c.name] as const)]}
                disabled={taking}
                onSet={(key) => setEntry({ ...entry, key })}
              />
            </span>
          )}
        </Box>
        <Sent path={file.name} file={sent} uploads={uploads} />
        {preview.data && (
          <Reading preview={preview.data} how={entry.how} onHow={(how) => setEntry({ ...entry, how })} />
        )}
        <Said error={preview.error ?? save.error ?? submission.error ?? faultOf(draft)} />
        {taking && (
          <Box role="status" sx={{ mt: 1 }}>
            <LinearProgress variant="determinate" value={100 * draft.share} aria-label="Reading the table" />
            {Math.floor(100 * draft.share)} %, {draft.doing}.
          </Box>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
        <Button variant="contained" disabled={!ready || taking || save.isPending} onClick={() => void add()}>
          Add it
        </Button>
      </DialogActions>
    </>
  );
}
