/** Submitting a model: a package as .zip, or its data file with the brief as a form. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useSubmit } from "../../api/queries";
import { Said } from "../../parts/Said";
import { BriefForm } from "./BriefForm";
import { FileDrop } from "./FileDrop";

export function Submit() {
  const submit = useSubmit();
  const go = useNavigate();
  const [way, setWay] = useState<"package" | "form">("package");
  const [file, setFile] = useState<File | null>(null);
  const [due, setDue] = useState("");
  const send = (form: FormData, done?: () => void) => {
    if (due) form.set("due", due);
    submit.mutate(form, {
      onSuccess: ({ case_id }) => {
        done?.();
        void go(`/cases/${case_id}/brief`);
      },
    });
  };
  const sendPackage = () => {
    if (!file) return;
    const form = new FormData();
    form.set("package", file);
    send(form);
  };
  return (
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Box sx={{ maxWidth: 760 }}>
        <Typography variant="h1" sx={{ mb: 0.5 }}>Submit a model</Typography>
        <Typography sx={{ color: "text.secondary", mb: 2 }}>
          It lands on the docket, waiting for a reviewer who is not you. What is sent is checked first; if anything is wrong, nothing is kept.
        </Typography>
        <Box sx={{ display: "flex", gap: 1, mb: 2, alignItems: "center" }}>
          <Button variant={way === "package" ? "contained" : "outlined"} aria-pressed={way === "package"} onClick={() => setWay("package")}>A package (.zip)</Button>
          <Button variant={way === "form" ? "contained" : "outlined"} aria-pressed={way === "form"} onClick={() => setWay("form")}>Data files and a form</Button>
          <label style={{ marginLeft: "auto" }}>
            Wanted by <input type="date" value={due} onChange={(event) => setDue(event.target.value)} style={{ font: "inherit", minHeight: 26 }} />
          </label>
        </Box>
        <Said error={submit.error} />
        {way === "package" ? (
          <Box sx={{ display: "grid", gap: 1.5, justifyItems: "start" }}>
            <FileDrop label="Package:" accept=".zip" onFiles={(files) => setFile(files[0] ?? null)} chosen={file ? [file.name] : []} />
            <Typography variant="body2" sx={{ color: "text.secondary" }}>A zip with submission.yaml at its top and the files that it names: data as CSV, XLSX, ODS or Parquet, and, if there are any, predictions and a fitted model as ONNX.</Typography>
            <Button variant="contained" disabled={!file || submit.isPending} onClick={sendPackage}>{submit.isPending ? "Checking …" : "Submit the package"}</Button>
          </Box>
        ) : (
          <BriefForm pending={submit.isPending} onSend={send} />
        )}
      </Box>
    </Box>
  );
}
