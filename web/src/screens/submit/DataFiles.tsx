/** The data files of a submission: what each is, how much of it has come, and how it is read. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useEffectEvent } from "react";
import { usePreviewOf, type Draft } from "../../api/drafts";
import { InlineChoice } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { size } from "../../wording";
import { FileDrop } from "./FileDrop";
import { Reading } from "./Reading";
import { Sent } from "./Sent";
import { pathOf, type DataFile } from "./dataFile";
import type { Uploads } from "./uploads";

export const DATA_FILES = ".csv,.tsv,.txt,.xlsx,.ods,.parquet";
const KINDS = [
  ["rows", "rows under review"],
  ["new_rows", "later rows, to be scored and compared"],
  ["sample", "a sample with columns that the rows lack"],
] as const;

interface DataFilesProps {
  draft: Draft;
  files: DataFile[];
  uploads: Uploads;
  onAdd: (files: File[]) => void;
  onChange: (name: string, change: Partial<DataFile>) => void;
  onRemove: (file: DataFile) => void;
  onColumns: (names: string[]) => void;
}

export function DataFiles({ draft, files, uploads, onAdd, onChange, onRemove, onColumns }: DataFilesProps) {
  return (
    <>
      {files.map((file, i) => (
        <OneFile
          key={file.name}
          draft={draft}
          file={file}
          first={i === 0}
          alone={files.length === 1}
          uploads={uploads}
          onChange={(change) => onChange(file.name, change)}
          onRemove={() => onRemove(file)}
          onColumns={i === 0 ? onColumns : undefined}
        />
      ))}
      <FileDrop
        label={files.length ? "Another data file:" : "Data file:"}
        accept={DATA_FILES}
        multiple
        chosen={[]}
        onFiles={onAdd}
      />
    </>
  );
}

interface OneFileProps {
  draft: Draft;
  file: DataFile;
  first: boolean;
  alone: boolean;
  uploads: Uploads;
  onChange: (change: Partial<DataFile>) => void;
  onRemove: () => void;
  onColumns: ((names: string[]) => void) | undefined;
}

function OneFile({ draft, file, first, alone, uploads, onChange, onRemove, onColumns }: OneFileProps) {
  const sent = draft.files.find((one) => one.path === pathOf(file));
  const preview = usePreviewOf(draft.id, sent, file.how);
  const columns = preview.data?.columns;
  const tell = useEffectEvent((names: string[]) => onColumns?.(names));
  useEffect(() => {
    if (columns) tell(columns.map((column) => column.name));
  }, [columns]);
  return (
    <Box component="section" aria-label={file.name}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <strong>{file.name}</strong>
        {sent && (
          <Box component="span" sx={{ color: "text.secondary" }}>
            {size(sent.size)}
          </Box>
        )}
        {first ? (
          <span>holds the rows under review</span>
        ) : (
          <span>
            holds{" "}
            <InlineChoice
              name={`What ${file.name} holds`}
              value={file.kind}
              options={KINDS}
              disabled={false}
              onSet={(kind) => onChange({ kind })}
            />
          </span>
        )}
        {file.kind === "rows" && !alone && (
          <label>
            and is the part{" "}
            <input
              aria-label={`Part of ${file.name}`}
              value={file.part}
              placeholder="training, test …"
              onChange={(event) => onChange({ part: event.target.value })}
              style={{ font: "inherit", minHeight: 24, width: 110 }}
            />
          </label>
        )}
        {file.kind === "sample" && columns && (
          <span>
            joined by{" "}
            <InlineChoice
              name={`Key of ${file.name}`}
              value={file.key}
              options={[["", "choose the key"] as const, ...columns.map((c) => [c.name, c.name] as const)]}
              disabled={false}
              onSet={(key) => onChange({ key })}
            />
          </span>
        )}
        <Button sx={{ ml: "auto", py: 0 }} onClick={onRemove}>
          Take away
        </Button>
      </Box>
      <Sent path={pathOf(file)} file={sent} uploads={uploads} />
      <Said error={preview.error} />
      {preview.data && <Reading preview={preview.data} how={file.how} onHow={(how) => onChange({ how })} />}
    </Box>
  );
}
