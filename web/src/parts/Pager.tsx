/** Turning the pages of a list that has the newest first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";

const PAGE = 100;

interface PagerProps {
  page: number;
  total: number;
  onTurn: (page: number) => void;
}

export function Pager({ page, total, onTurn }: PagerProps) {
  const pages = Math.max(1, Math.ceil(total / PAGE));
  if (pages === 1) return null;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 1 }}>
      <Button disabled={page <= 1} onClick={() => onTurn(page - 1)}>
        Newer
      </Button>
      <span>
        page {page} of {pages}
      </span>
      <Button disabled={page >= pages} onClick={() => onTurn(page + 1)}>
        Older
      </Button>
    </Box>
  );
}
