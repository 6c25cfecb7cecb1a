/** Files chosen or dropped. */
import Box from "@mui/material/Box";
import { useState } from "react";

interface FileDropProps {
  label: string;
  accept: string;
  multiple?: boolean;
  chosen: string[];
  onFiles: (files: File[]) => void;
}

export function FileDrop({ label, accept, multiple, chosen, onFiles }: FileDropProps) {
  const [over, setOver] = useState(false);
  return (
    <Box
      component="label"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        onFiles([...event.dataTransfer.files].slice(0, multiple ? undefined : 1));
      }}
      sx={{ display: "flex", gap: 1, alignItems: "center", border: "1.5px dashed", borderColor: over ? "primary.main" : "divider", bgcolor: over ? "brook.pale" : "transparent", borderRadius: 1, px: 1.5, py: 1, width: "100%" }}
    >
      <span>{label}</span>
      <input type="file" accept={accept} multiple={multiple} onChange={(event) => onFiles([...(event.target.files ?? [])])} style={{ font: "inherit" }} />
      <Box component="span" sx={{ color: "text.secondary", ml: "auto" }}>{chosen.length ? chosen.join(", ") : "or drop it here"}</Box>
    </Box>
  );
}
