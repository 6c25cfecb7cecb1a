/** What went wrong, as the server said it; and the words while something is fetched. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";

export function Said({ error }: { error: Error | null | undefined }) {
  if (!error) return null;
  return (
    <Alert severity="error" role="alert" sx={{ my: 1 }}>
      {error.message}
    </Alert>
  );
}

export function Fetching({ what }: { what: string }) {
  return (
    <Box role="status" sx={{ p: 3, color: "text.secondary" }}>
      Fetching {what} …
    </Box>
  );
}
