import Box from "@mui/material/Box";
import type { ReactNode } from "react";

export function Kbd({ children }: { children: ReactNode }) {
  return (
    <Box
      component="kbd"
      sx={{
        font: "inherit",
        fontWeight: 600,
        fontSize: "size.mark",
        border: 1,
        borderColor: "divider",
        borderRadius: 0.75,
        px: 0.5,
        bgcolor: "background.paper",
        color: "text.secondary",
      }}
    >
      {children}
    </Box>
  );
}
