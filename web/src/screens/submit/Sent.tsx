/** How much of a file has come; where it was cut, it can be chosen again and goes on. */
import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import type { DraftFile } from "../../api/drafts";
import { Said } from "../../parts/Said";
import { size } from "../../wording";
import type { Uploads } from "./uploads";

export function Sent({ path, file, uploads }: { path: string; file: DraftFile | undefined; uploads: Uploads }) {
  const fault = uploads.fault(path);
  const sending = uploads.isSending(path);
  const whole = file !== undefined && file.received === file.size;
  const name = path.split("/").at(-1) ?? path;
  return (
    <>
      <Said error={fault} />
      {!whole && sending && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <LinearProgress
            variant="determinate"
            value={file?.size ? (100 * file.received) / file.size : 0}
            aria-label={`Sending ${name}`}
            sx={{ flex: 1 }}
          />
          <span>
            {size(file?.received ?? 0)} of {size(file?.size ?? 0)}
          </span>
        </Box>
      )}
      {!whole && !sending && (
        <label>
          {file
            ? `Only ${size(file.received)} of ${size(file.size)} have come. Choose ${name} again, and sending goes on there: `
            : `Choose ${name} again: `}
          <input
            type="file"
            aria-label={`Go on with ${name}`}
            onChange={(event) => event.target.files?.[0] && void uploads.send(path, event.target.files[0])}
            style={{ font: "inherit" }}
          />
        </label>
      )}
    </>
  );
}
