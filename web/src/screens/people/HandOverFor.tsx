/** All cases that somebody has in review, handed to another by an administrator. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useHandOver } from "../../api/holding";
import type { Account } from "../../api/people";
import { Said } from "../../parts/Said";
import { plural } from "../../wording";

interface HandOverForProps {
  account: Account;
  reviewers: readonly Schemas["NamedPerson"][];
}

export function HandOverFor({ account, reviewers }: HandOverForProps) {
  const give = useHandOver();
  const cache = useQueryClient();
  const [to, setTo] = useState("");
  const [reason, setReason] = useState("");
  return (
    <Box
      component="form"
      aria-label={`Hand over the cases of ${account.name}`}
      sx={{ mt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        give.mutate(
          { of: account.id, to, reason },
          { onSuccess: () => cache.invalidateQueries({ queryKey: ["people"] }) },
        );
      }}
    >
      <Box sx={{ display: "flex", gap: 1, maxWidth: 860 }}>
        <TextField
          select
          label="Hand all to"
          value={to}
          onChange={(event) => setTo(event.target.value)}
          sx={{ width: 220, flex: "none" }}
        >
          {reviewers.map((one) => (
            <MenuItem key={one.login} value={one.login}>
              {one.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          fullWidth
          label="Why they are handed over"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <Button
          type="submit"
          variant="outlined"
          disabled={give.isPending || !to || !reason.trim()}
          sx={{ flex: "none" }}
        >
          Hand them over
        </Button>
      </Box>
      <Said error={give.error} />
      {give.data && (
        <Box role="status" sx={{ mt: 1 }}>
          {plural(give.data.handed.length, "case")} handed over.
          {give.data.left.map((one) => (
            <div key={one.case_id}>
              {one.case} stays: {one.why}
            </div>
          ))}
        </Box>
      )}
    </Box>
  );
}
