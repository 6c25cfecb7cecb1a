/** Files that are chosen to go with what is written. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { size } from "../wording";

export function FilesChosen({ files, onChange }: { files: readonly File[]; onChange: (files: File[]) => void }) {
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: "size.text" }}>
      <Button component="label" variant="outlined">
        Choose files
        <input
          type="file"
          multiple
          hidden
          onChange={(event) => {
            onChange([...(event.target.files ?? [])]);
            event.target.value = "";
          }}
        />
      </Button>
      {files.map((file) => `${file.name}, ${size(file.size)}`).join("; ")}
    </Box>
  );
}
