/** Beside an exhibit: that its reviewer takes it otherwise than it stands, and why; or the form by which they do. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import type { Exhibit } from "../api/client";
import { useOverrule, useOverrulings, useTakeBack } from "../api/overrides";
import { InlineChoice } from "../parts/Inline";
import { Said } from "../parts/Said";
import { useUnsent } from "../parts/unsent";
import { moment, standing } from "../wording";

const WAYS = ["within", "near", "outside"] as const;
type Way = (typeof WAYS)[number];

export function Overruled({ caseId, exhibit }: { caseId: number; exhibit: Exhibit }) {
  const overrulings = useOverrulings(caseId);
  const takeBack = useTakeBack(caseId);
  const [open, setOpen] = useState(false);
  if (!overrulings.data) return <Said error={overrulings.error} />;
  const { overruled, may_overrule: may } = overrulings.data;
  const found = overruled.find((one) => one.exhibit === exhibit.number);
  if (found)
    return (
      <Box
        role="note"
        aria-label="Overruled"
        sx={{ borderLeft: 3, borderColor: "brook.ochre", pl: 1.5, py: 0.5, mb: 1.5, maxWidth: 760 }}
      >
        <Typography>
          <b style={{ fontWeight: 560 }}>Taken as {standing(found.taken_as)}</b> by {found.by} on {moment(found.at)},
          though it stands {standing(found.standing)}: {found.reason}
        </Typography>
        {may && (
          <Button disabled={takeBack.isPending} onClick={() => takeBack.mutate(found.id)}>
            Take it as it stands
          </Button>
        )}
        <Said error={takeBack.error} />
      </Box>
    );
  if (!may || exhibit.state !== "done" || !exhibit.standing) return null;
  if (!open)
    return (
      <Box sx={{ mb: 1.5, mt: -1 }}>
        <Button onClick={() => setOpen(true)}>Overrule its standing</Button>
      </Box>
    );
  return <OverruleForm caseId={caseId} exhibit={exhibit} onClose={() => setOpen(false)} />;
}

function OverruleForm({ caseId, exhibit, onClose }: { caseId: number; exhibit: Exhibit; onClose: () => void }) {
  const overrule = useOverrule(caseId);
  const ways = WAYS.filter((one) => one !== exhibit.standing);
  const place = `brookfall.overrule.${caseId}.${exhibit.number}`;
  const { typed, put, letGo } = useUnsent(place, { takenAs: ways[0] as Way, reason: "" });
  const send = (event: FormEvent) => {
    event.preventDefault();
    overrule.mutate(
      { exhibit: exhibit.number, taken_as: typed.takenAs, reason: typed.reason },
      {
        onSuccess: () => {
          letGo();
          onClose();
        },
      },
    );
  };
  return (
    <Box
      component="form"
      aria-label="Overrule its standing"
      onSubmit={send}
      sx={{ display: "grid", gap: 1, mb: 1.5, maxWidth: 760 }}
    >
      <Typography>
        It stands {standing(exhibit.standing ?? "none")}, and is to be taken as{" "}
        <InlineChoice
          name="Taken as"
          value={typed.takenAs}
          options={ways.map((one) => [one, standing(one)] as const)}
          disabled={overrule.isPending}
          onSet={(takenAs) => put({ takenAs })}
        />
        . The mark stays as computed; what you write stands beside it, in the report and in what is signed.
      </Typography>
      <TextField
        required
        multiline
        autoFocus
        label="Why"
        value={typed.reason}
        onChange={(event) => put({ reason: event.target.value })}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="outlined" disabled={overrule.isPending || !typed.reason.trim()}>
          Overrule it
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </Box>
      <Said error={overrule.error} />
    </Box>
  );
}
