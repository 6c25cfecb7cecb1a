/** The brief as a form. It makes the same submission.yaml that a package carries. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Controller, useFieldArray, useForm } from "react-hook-form";
import { z } from "zod";
import { headerOf, submissionFrom } from "./submission";

const text = (message: string) => z.string().trim().min(1, message);

export const briefShape = z.object({
  name: text("Name the model."),
  version: text("Give the version."),
  tier: z.enum(["1", "2", "3"]),
  purpose: text("Say what it is for."),
  owner: text("Say who built it."),
  use: z.string(),
  population: z.string(),
  target: text("Choose the target."),
  positive: z.string(),
  identifier: z.array(z.string()),
  protected: z.array(z.string()),
  ignore: z.array(z.string()),
  family: z.string(),
  settings: z.string(),
  missing: z.string(),
  scale: z.string(),
  encode: z.string(),
  threshold: z.string(),
  seed: z.string(),
  claims: z.array(z.object({ measure: text("Name the measure."), part: z.string(), value: text("Give the value.") })),
});
export type BriefFields = z.infer<typeof briefShape>;

const FAMILIES = [["", "none: it can't be refitted"], ["logistic", "logistic regression"], ["tree", "decision tree"], ["forest", "random forest"], ["gradient_boosting", "gradient boosting"], ["nearest_neighbours", "nearest neighbours"], ["naive_bayes", "naive Bayes"]] as const;
const SAME = (words: string[]) => words.map((w) => [w, w] as const);

const START: BriefFields = {
  name: "", version: "", tier: "2", purpose: "", owner: "", use: "", population: "", target: "", positive: "", identifier: [], protected: [], ignore: [],
  family: "logistic", settings: "", missing: "median", scale: "none", encode: "onehot", threshold: "0.5", seed: "0", claims: [],
};

export function BriefForm({ pending, onSend }: { pending: boolean; onSend: (form: FormData) => void }) {
  const [file, setFile] = useState<File | null>(null);
  const [columns, setColumns] = useState<string[]>([]);
  const { register, control, handleSubmit, formState } = useForm<BriefFields>({ resolver: zodResolver(briefShape), defaultValues: START });
  const claims = useFieldArray({ control, name: "claims" });
  const errors = formState.errors;
  const choose = async (chosen: File | null) => {
    setFile(chosen);
    setColumns(chosen ? headerOf(await chosen.slice(0, 65536).text()) : []);
  };
  const send = handleSubmit((fields) => {
    if (!file) return;
    const form = new FormData();
    const path = `data/${file.name}`;
    form.append("file", new Blob([JSON.stringify(submissionFrom(fields, path))]), "submission.yaml");
    form.append("file", file, path);
    onSend(form);
  });
  const field = (name: "name" | "version" | "purpose" | "owner" | "use" | "population" | "positive" | "threshold" | "seed", label: string) => (
    <TextField label={label} error={!!errors[name]} helperText={errors[name]?.message} {...register(name)} />
  );
  const choice = (name: "tier" | "family" | "missing" | "scale" | "encode" | "target", label: string, options: readonly (readonly [string, string])[]) => (
    <Controller control={control} name={name} render={({ field: f }) => (
      <TextField select label={label} error={!!errors[name]} helperText={errors[name]?.message} {...f} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
        {options.map(([key, words]) => <MenuItem key={key} value={key}>{words}</MenuItem>)}
      </TextField>
    )} />
  );
  const several = (name: "identifier" | "protected" | "ignore", label: string) => (
    <Controller control={control} name={name} render={({ field: f }) => (
      <TextField select label={label} {...f} slotProps={{ select: { multiple: true }, inputLabel: { shrink: true } }}>
        {columns.map((column) => <MenuItem key={column} value={column}>{column}</MenuItem>)}
      </TextField>
    )} />
  );
  const row = (columnsOf: string) => ({ display: "grid", gridTemplateColumns: columnsOf, gap: 1.5 });
  return (
    <Box component="form" aria-label="Brief" onSubmit={(event) => void send(event)} sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={row("1fr 130px 150px")}>
        {field("name", "Model")}
        {field("version", "Version")}
        {choice("tier", "Tier", [["1", "1, high stakes"], ["2", "2"], ["3", "3, low"]])}
      </Box>
      {field("purpose", "Purpose")}
      <Box sx={row("1fr 1fr")}>{field("use", "How it is used")}{field("population", "For whom")}</Box>
      {field("owner", "Built by")}
      <Typography variant="h3">Data</Typography>
      <label>Data file (CSV or Parquet): <input type="file" accept=".csv,.parquet" required onChange={(event) => void choose(event.target.files?.[0] ?? null)} style={{ font: "inherit" }} /></label>
      <Box sx={row("1fr 1fr")}>
        {columns.length ? choice("target", "Target", SAME(columns)) : <TextField label="Target" error={!!errors.target} helperText={errors.target?.message ?? "Choose the file first, or type the column's name."} {...register("target")} />}
        {field("positive", "Positive value (yes, if empty and there is one)")}
      </Box>
      {columns.length > 0 && <Box sx={row("1fr 1fr 1fr")}>{several("identifier", "Identifiers")}{several("protected", "Protected")}{several("ignore", "To ignore")}</Box>}
      <Typography variant="h3">Recipe</Typography>
      <Box sx={row("1fr 1fr 1fr")}>
        {choice("family", "Family", FAMILIES)}
        {field("threshold", "Threshold")}
        {field("seed", "Seed")}
      </Box>
      <TextField multiline minRows={2} label="Settings, one a line, such as depth: 3" {...register("settings")} />
      <Box sx={row("1fr 1fr 1fr")}>
        {choice("missing", "Missing values", SAME(["median", "mean", "mode", "constant", "indicator", "drop"]))}
        {choice("scale", "Scaling", SAME(["none", "standard", "minmax", "robust"]))}
        {choice("encode", "Categories", SAME(["onehot", "ordinal", "target"]))}
      </Box>
      <Typography variant="h3">Claims</Typography>
      {claims.fields.map((claim, i) => (
        <Box key={claim.id} sx={row("1fr 1fr 1fr auto")}>
          <TextField label="Measure, such as auc" error={!!errors.claims?.[i]?.measure} {...register(`claims.${i}.measure`)} />
          <TextField label="Part, such as test" {...register(`claims.${i}.part`)} />
          <TextField label="Value" error={!!errors.claims?.[i]?.value} {...register(`claims.${i}.value`)} />
          <Button onClick={() => claims.remove(i)}>Remove</Button>
        </Box>
      ))}
      <Button sx={{ justifySelf: "start" }} onClick={() => claims.append({ measure: "auc", part: "test", value: "" })}>Add a claim</Button>
      <Button type="submit" variant="contained" disabled={pending || !file} sx={{ justifySelf: "start" }}>{pending ? "Checking …" : "Submit the model"}</Button>
    </Box>
  );
}
