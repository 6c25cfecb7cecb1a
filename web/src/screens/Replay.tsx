/** The replay of an exhibit: everything fitted again, and told whether it is the same bit for bit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useAskReplay, useCancelReplay, useReplay } from "../api/queries";
import { useKeys } from "../frame/keys";
import { Kbd } from "../parts/Kbd";
import { Said } from "../parts/Said";
import { moment, plural } from "../wording";

interface ReplayProps {
  caseId: number;
  runId: number;
  number: number;
  mayReplay: boolean;
}

export function Replay({ caseId, runId, number, mayReplay }: ReplayProps) {
  const found = useReplay(caseId, runId, number);
  const ask = useAskReplay(caseId, runId, number);
  const cancel = useCancelReplay(caseId, runId, number);
  const state = found.data?.state ?? null;
  const going = state === "waiting" || state === "leased";
  const start = () => mayReplay && !going && !ask.isPending && ask.mutate();
  useKeys([{ keys: "r", does: "replay this exhibit: fit it again and compare", act: start }]);
  return (
    <Box
      component="section"
      aria-label="Replay"
      sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap", fontSize: "size.text", my: 1 }}
    >
      {mayReplay && !going && (
        <Button variant="outlined" disabled={ask.isPending} onClick={start}>
          Replay&nbsp; <Kbd>r</Kbd>
        </Button>
      )}
      {going && found.data && (
        <Box role="status" sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
          <LinearProgress
            variant="determinate"
            aria-label="Fits made again"
            value={found.data.needed ? (100 * found.data.done) / found.data.needed : 0}
            sx={{ width: 120 }}
          />
          {state === "waiting"
            ? `Waiting for a worker${found.data.before > 0 ? `, ${plural(found.data.before, "replay")} before it` : ""}`
            : `${found.data.done} of ${plural(found.data.needed, "fit")} made again`}
          {mayReplay && (
            <Button disabled={cancel.isPending} onClick={() => cancel.mutate()}>
              Cancel the replay
            </Button>
          )}
        </Box>
      )}
      {found.data && !going && state && (
        <Box
          role="status"
          sx={{ color: found.data.outcome === "other" || state === "failed" ? "brook.brick" : "text.secondary" }}
        >
          {state === "cancelled" ? "The last replay was cancelled." : found.data.said}
          {found.data.finished && ` ${found.data.by}, ${moment(found.data.finished)}.`}
          {found.data.differences.length > 0 && (
            <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
              {found.data.differences.map((line) => (
                <li key={line}>{line}</li>
              ))}
            </Box>
          )}
        </Box>
      )}
      <Said error={ask.error ?? cancel.error ?? found.error} />
    </Box>
  );
}
