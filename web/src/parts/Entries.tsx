/** What was done about a thing and said of it, oldest first, with the files that came with it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { moment, size } from "../wording";
import { FileLink } from "./FileLink";

interface Entry {
  id: number;
  at: string;
  by: string | null;
  text: string;
  files: Schemas["AttachedView"][];
  takes_files: boolean;
}

interface EntriesProps<One extends Entry> {
  entries: readonly One[];
  /** What somebody did, as it goes on after their name. */
  wordsOf: (entry: One) => string;
  addressOf: (entry: One, file: Schemas["AttachedView"]) => string;
  /** What else stands with an entry, below its words. */
  below?: (entry: One) => ReactNode;
  sending: boolean;
  onFiles: (files: File[]) => void;
}

export function Entries<One extends Entry>({
  entries,
  wordsOf,
  addressOf,
  below,
  sending,
  onFiles,
}: EntriesProps<One>) {
  if (entries.length === 0) return null;
  return (
    <Box component="ol" aria-label="What was said of it" sx={{ listStyle: "none", p: 0, m: 0, mt: 1.5, maxWidth: 760 }}>
      {entries.map((entry) => (
        <Box component="li" key={entry.id} sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}>
          <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
            <Typography variant="body2">
              <b style={{ fontWeight: 550 }}>{entry.by ?? "Its date"}</b> {wordsOf(entry)}
            </Typography>
            <Typography variant="body2" sx={{ ml: "auto", color: "text.secondary", whiteSpace: "nowrap" }}>
              {moment(entry.at)}
            </Typography>
          </Box>
          {entry.text && <Typography sx={{ whiteSpace: "pre-line", mt: 0.25 }}>{entry.text}</Typography>}
          {below?.(entry)}
          {entry.files.map((file) => (
            <Box key={file.id} sx={{ display: "flex", gap: 1, fontSize: "size.text", mt: 0.25 }}>
              <FileLink path={file.path} address={addressOf(entry, file)} />
              <span>{size(file.size)}</span>
              <Box component="code" title={`SHA-256 ${file.sha256}`} sx={{ color: "text.secondary" }}>
                {file.sha256.slice(0, 12)} …
              </Box>
            </Box>
          ))}
          {entry.takes_files && (
            <Button component="label" size="small" disabled={sending} sx={{ ml: "-5px" }}>
              {sending ? "Sending …" : "Send files with it"}
              <input
                type="file"
                multiple
                hidden
                onChange={(event) => {
                  const files = [...(event.target.files ?? [])];
                  event.target.value = "";
                  if (files.length) onFiles(files);
                }}
              />
            </Button>
          )}
        </Box>
      ))}
    </Box>
  );
}
