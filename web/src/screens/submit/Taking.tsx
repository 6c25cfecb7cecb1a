/** A draft while a worker reads and checks it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useWithdraw, type Draft } from "../../api/drafts";
import { Said } from "../../parts/Said";
import { SERIF } from "../../theme";

export function Taking({ draft }: { draft: Draft }) {
  const withdraw = useWithdraw(draft.id);
  return (
    <Box role="status" sx={{ display: "grid", gap: 1, justifyItems: "start", maxWidth: 560 }}>
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
        What you sent is being read and checked.
      </Typography>
      <LinearProgress
        variant="determinate"
        value={100 * draft.share}
        aria-label="Reading and checking"
        sx={{ width: "100%" }}
      />
      <Typography variant="body2">
        {Math.floor(100 * draft.share)} %, {draft.doing}. You may leave this page; it goes on.
      </Typography>
      <Button disabled={withdraw.isPending} onClick={() => withdraw.mutate()}>
        Withdraw it
      </Button>
      <Said error={withdraw.error} />
    </Box>
  );
}
