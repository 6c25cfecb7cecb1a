/** The form for new rows: a file, or rows pasted with their names above; by which models; what sets shall cover. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { useSendRows } from "../../api/newRows";
import { InlineNumber } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { DATA_FILES } from "../submit/DataFiles";
import { FileDrop } from "../submit/FileDrop";
import { pastedFile } from "./pasted";

const MOST_MODELS = 6;

export function AskRows({ caseId, models }: { caseId: number; models: Schemas["AskableModelView"][] }) {
  const [file, setFile] = useState<File | null>(null);
  const [pasted, setPasted] = useState("");
  const [chosen, setChosen] = useState<string[]>(models.slice(0, 1).map((one) => one.name));
  const [coverage, setCoverage] = useState(90);
  const { send, share } = useSendRows(caseId);
  const navigate = useNavigate();
  const rows = file ?? pastedFile(pasted);
  const wanting = !rows ? "Choose a file or paste rows." : chosen.length === 0 ? "Choose a model." : "";
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (!rows || wanting) return;
    send.mutate({ file: rows, models: chosen, coverage: coverage / 100 }, { onSuccess: () => void navigate("?") });
  };
  const choose = (name: string, on: boolean) =>
    setChosen(models.map((one) => one.name).filter((one) => (one === name ? on : chosen.includes(one))));
  return (
    <Box component="form" onSubmit={submit} sx={{ maxWidth: 760 }}>
      <Typography component="h2" variant="h2" sx={{ fontFamily: SERIF, fontSize: "size.head", mb: 0.5 }}>
        Score new rows
      </Typography>
      <Typography sx={{ mb: 2 }}>
        Each model is fitted on the rows that its owner trained on, and says what it makes of rows that came later: with
        outcomes or without. Gaps and scales are those of the training rows, never of this file.
      </Typography>
      <FileDrop
        label="File:"
        accept={DATA_FILES}
        chosen={file ? [file.name] : []}
        onFiles={([one]) => one && setFile(one)}
      />
      {file ? (
        <Button size="small" onClick={() => setFile(null)} sx={{ mt: 0.5 }}>
          Paste rows instead
        </Button>
      ) : (
        <TextField
          label="or rows, with the names of the columns above them"
          value={pasted}
          onChange={(event) => setPasted(event.target.value)}
          multiline
          minRows={4}
          maxRows={10}
          fullWidth
          slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: "monospace", whiteSpace: "pre" } } }}
          sx={{ mt: 1.5 }}
        />
      )}
      <Box component="fieldset" sx={{ border: 0, p: 0, m: 0, mt: 2 }}>
        <Box component="legend" sx={{ fontWeight: 600, mb: 0.5 }}>
          By these models, side by side
        </Box>
        <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(220px, 1fr))" }}>
          {models.map((one) => (
            <Box
              component="label"
              key={one.name}
              sx={{ display: "flex", gap: 0.75, alignItems: "center", minHeight: 26 }}
            >
              <input
                type="checkbox"
                checked={chosen.includes(one.name)}
                disabled={!chosen.includes(one.name) && chosen.length >= MOST_MODELS}
                onChange={(event) => choose(one.name, event.target.checked)}
                style={{ width: 15, height: 15, accentColor: "var(--mui-palette-primary-main)" }}
              />
              {one.words}
            </Box>
          ))}
        </Box>
      </Box>
      <Typography component="div" sx={{ mt: 1.5 }}>
        A set of classes, or an interval, that holds the outcome of{" "}
        <InlineNumber
          name="Coverage in per cent"
          value={coverage}
          min={50}
          max={99}
          unit="%"
          disabled={send.isPending}
          onSet={setCoverage}
        />{" "}
        of rows.
      </Typography>
      <Said error={send.error} />
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mt: 2 }}>
        <Button type="submit" variant="contained" disabled={wanting !== "" || send.isPending}>
          Score them
        </Button>
        {send.isPending ? (
          <Box role="status" sx={{ flex: 1 }}>
            <LinearProgress
              variant={share === null || share === 1 ? "indeterminate" : "determinate"}
              value={100 * (share ?? 0)}
              aria-label="Sending the rows"
            />
          </Box>
        ) : (
          <Typography variant="body2" color="text.secondary">
            {wanting}
          </Typography>
        )}
      </Box>
    </Box>
  );
}
