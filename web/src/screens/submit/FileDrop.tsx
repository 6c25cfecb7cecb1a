/** Files chosen or dropped. */
import Box from "@mui/material/Box";
import { useState, type ChangeEvent } from "react";

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
      sx={{
        position: "relative",
        display: "flex",
        gap: 1,
        alignItems: "center",
        border: "1.5px dashed",
        borderColor: over ? "primary.main" : "divider",
        bgcolor: over ? "brook.pale" : "transparent",
        borderRadius: 1,
        px: 1.5,
        py: 1,
        width: "100%",
      }}
    >
      <span>{label}</span>
      <Box
        component="input"
        type="file"
        accept={accept}
        multiple={multiple}
        onChange={(event: ChangeEvent<HTMLInputElement>) => {
          onFiles([...(event.target.files ?? [])]);
          // What was chosen is shown by the page; the same file can be chosen again.
          event.target.value = "";
        }}
        sx={{
          position: "absolute",
          opacity: 0,
          width: 1,
          height: 1,
          "&:focus-visible + span": { outline: "2px solid", outlineOffset: 2 },
        }}
      />
      <Box
        component="span"
        sx={{
          color: "primary.main",
          fontWeight: 560,
          borderBottom: 1.5,
          borderColor: "primary.main",
          cursor: "pointer",
        }}
      >
        choose {multiple ? "files" : "a file"}
      </Box>
      <Box component="span" sx={{ color: "text.secondary", ml: "auto" }}>
        {chosen.length ? chosen.join(", ") : multiple ? "or drop them here" : "or drop it here"}
      </Box>
    </Box>
  );
}
