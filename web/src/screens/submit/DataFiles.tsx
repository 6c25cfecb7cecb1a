/** The data files of a submission: what each is, and how it is read. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Schemas } from "../../api/client";
import { InlineChoice } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { FileDrop } from "./FileDrop";
import { Reading } from "./Reading";
import type { DataFile, How } from "./submission";

/** A chosen file with what the server said of it. */
export interface Chosen extends DataFile {
  file: File;
  preview: Schemas["Preview"] | null;
  fault: Error | null;
}

const KINDS = [["rows", "rows under review"], ["new_rows", "later rows, to be scored and compared"], ["sample", "a sample with columns that the rows lack"]] as const;

interface DataFilesProps {
  chosen: Chosen[];
  onAdd: (files: File[]) => void;
  onChange: (place: number, change: Partial<Chosen>) => void;
  onHow: (place: number, how: How) => void;
  onRemove: (place: number) => void;
}

export function DataFiles({ chosen, onAdd, onChange, onHow, onRemove }: DataFilesProps) {
  return (
    <>
      {chosen.map((one, i) => (
        <Box key={one.name} component="section" aria-label={one.name}>
          <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
            <strong>{one.name}</strong>
            {i === 0 ? (
              <span>holds the rows under review</span>
            ) : (
              <span>holds <InlineChoice name={`What ${one.name} holds`} value={one.kind} options={KINDS} disabled={false} onSet={(kind) => onChange(i, { kind })} /></span>
            )}
            {one.kind === "rows" && chosen.length > 1 && (
              <label>
                and is the part{" "}
                <input aria-label={`Part of ${one.name}`} value={one.part} placeholder="training, test …" onChange={(event) => onChange(i, { part: event.target.value })} style={{ font: "inherit", minHeight: 24, width: 110 }} />
              </label>
            )}
            {one.kind === "sample" && one.preview && (
              <span>joined by <InlineChoice name={`Key of ${one.name}`} value={one.key} options={[["", "choose the key"] as const, ...one.preview.columns.map((c) => [c.name, c.name] as const)]} disabled={false} onSet={(key) => onChange(i, { key })} /></span>
            )}
            <Button sx={{ ml: "auto", py: 0 }} onClick={() => onRemove(i)}>Take away</Button>
          </Box>
          <Said error={one.fault} />
          {one.preview && <Reading preview={one.preview} how={one.how} onHow={(how) => onHow(i, how)} />}
        </Box>
      ))}
      <FileDrop label={chosen.length ? "Another data file:" : "Data file:"} accept=".csv,.tsv,.txt,.xlsx,.ods,.parquet" multiple chosen={[]} onFiles={onAdd} />
    </>
  );
}
