/** What a figure says where it is read, below it; how to read it, where nobody does. */
import Box from "@mui/material/Box";

export function ReadingLine({ words }: { words: string }) {
  return (
    <Box sx={{ fontSize: "size.small", color: words ? "text.primary" : "text.secondary", minHeight: 22 }}>
      {words || "Point at the figure, or focus it and use the arrow keys, to read its values."}
    </Box>
  );
}
