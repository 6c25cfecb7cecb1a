/** A file that somebody sent: opened by the browser where it can show it, and saved as it was kept. */
import Box from "@mui/material/Box";

export function FileLink({ path, address }: { path: string; address: string }) {
  const name = path.split("/").at(-1);
  return (
    <span style={{ overflowWrap: "anywhere" }}>
      <a href={address} target="_blank" rel="noreferrer">
        {path}
      </a>
      <Box
        component="a"
        href={address}
        download={name}
        aria-label={`Save ${path}`}
        sx={{ ml: 1, fontSize: "size.note", color: "text.secondary" }}
      >
        save
      </Box>
    </span>
  );
}
