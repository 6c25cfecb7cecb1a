/** What a page holds beneath the bar; the keyboard scrolls it even where nothing in it takes the focus. */
import Box from "@mui/material/Box";
import type { ReactNode } from "react";

export function Main({ children }: { children: ReactNode }) {
  return (
    <Box component="main" tabIndex={0} sx={{ p: 3, overflow: "auto", "&:focus": { outline: "none" } }}>
      {children}
    </Box>
  );
}
