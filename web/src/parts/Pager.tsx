/** Turning the pages of a list. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";

interface PagerProps {
  page: number;
  total: number;
  onTurn: (page: number) => void;
  /** How many are on a page. */
  size?: number;
  /** What leads to the page before, and to the next. */
  words?: readonly [string, string];
}

export function Pager({ page, total, onTurn, size = 100, words = ["Newer", "Older"] }: PagerProps) {
  const pages = Math.max(1, Math.ceil(total / size));
  if (pages === 1) return null;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 1 }}>
      <Button disabled={page <= 1} onClick={() => onTurn(page - 1)}>
        {words[0]}
      </Button>
      <span>
        page {page} of {pages}
      </span>
      <Button disabled={page >= pages} onClick={() => onTurn(page + 1)}>
        {words[1]}
      </Button>
    </Box>
  );
}
