/** The brief as a form. It makes the same submission.yaml that a package carries. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Controller, useFieldArray, useForm, useWatch } from "react-hook-form";
import { usePreview, useVocabulary } from "../../api/queries";
import { briefShape, EMPTY, forgetBrief, isStarted, keepBrief, keptBrief, type BriefFields } from "./brief";
import { DataFiles, type Chosen } from "./DataFiles";
import { pathOf, submissionFrom, type How } from "./submission";

const same = (words: readonly string[]) => words.map((w) => [w, w] as const);

export function BriefForm({ pending, onSend }: { pending: boolean; onSend: (form: FormData, done: () => void) => void }) {
  const [chosen, setChosen] = useState<Chosen[]>([]);
  const preview = usePreview();
  const vocabulary = useVocabulary();
  const { register, control, handleSubmit, formState, reset } = useForm<BriefFields>({ resolver: zodResolver(briefShape), defaultValues: keptBrief() });
  const claims = useFieldArray({ control, name: "claims" });
  const fields = useWatch({ control }) as BriefFields;
  useEffect(() => keepBrief(fields), [fields]);
  const errors = formState.errors;
  const columns = chosen[0]?.preview?.columns.map((c) => c.name) ?? [];
  const change = (name: string, part: Partial<Chosen>) => setChosen((all) => all.map((one) => (one.name === name ? { ...one, ...part } : one)));
  const read = (file: File, how: How) =>
    preview.mutateAsync({ file, how }).then(
      (found) => change(file.name, { preview: found, fault: null }),
      (fault: Error) => change(file.name, { fault }),
    );
  const add = (files: File[]) => {
    const fresh = files.filter((file) => !chosen.some((one) => one.name === file.name));
    setChosen((all) => [...all, ...fresh.map((file): Chosen => ({ file, name: file.name, kind: "rows", part: "", key: "", how: {}, preview: null, fault: null }))]);
    for (const file of fresh) void read(file, {});
  };
  const correct = (place: number, how: How) => {
    const one = chosen[place];
    if (!one) return;
    change(one.name, { how });
    void read(one.file, how);
  };
  const send = handleSubmit((values) => {
    if (!chosen.length) return;
    const form = new FormData();
    form.append("file", new Blob([JSON.stringify(submissionFrom(values, chosen))]), "submission.yaml");
    for (const one of chosen) form.append("file", one.file, pathOf(one));
    onSend(form, forgetBrief);
  });
  const named = (list: { name: string; words: string; outcomes: string[] }[] | undefined) => (list ?? []).filter((one) => one.outcomes.includes(fields.outcome)).map((one) => [one.name, one.words] as const);
  const field = (name: "name" | "version" | "purpose" | "owner" | "use" | "population" | "positive" | "threshold" | "seed", label: string) => (
    <TextField label={label} error={!!errors[name]} helperText={errors[name]?.message} {...register(name)} />
  );
  const choice = (name: "tier" | "outcome" | "family" | "missing" | "scale" | "encode" | "target" | "part", label: string, options: readonly (readonly [string, string])[]) => (
    <Controller control={control} name={name} render={({ field: f }) => (
      <TextField select label={label} error={!!errors[name]} helperText={errors[name]?.message} {...f} value={options.some(([key]) => key === f.value) ? f.value : ""} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
        {options.map(([key, words]) => <MenuItem key={key} value={key}>{words}</MenuItem>)}
      </TextField>
    )} />
  );
  const several = (name: "identifier" | "protected" | "ignore", label: string) => (
    <Controller control={control} name={name} render={({ field: f }) => (
      <TextField select label={label} {...f} value={f.value.filter((one) => columns.includes(one))} slotProps={{ select: { multiple: true }, inputLabel: { shrink: true } }}>
        {columns.map((column) => <MenuItem key={column} value={column}>{column}</MenuItem>)}
      </TextField>
    )} />
  );
  const row = (columnsOf: string) => ({ display: "grid", gridTemplateColumns: columnsOf, gap: 1.5 });
  return (
    <Box component="form" aria-label="Brief" onSubmit={(event) => void send(event)} sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={row("1fr 110px 130px 150px")}>
        {field("name", "Model")}
        {field("version", "Version")}
        {choice("tier", "Tier", [["1", "1, high stakes"], ["2", "2"], ["3", "3, low"]])}
        {choice("outcome", "Outcome", [["binary", "yes/no"], ["multiclass", "several classes"], ["number", "a number"]])}
      </Box>
      {field("purpose", "Purpose")}
      <Box sx={row("1fr 1fr")}>{field("use", "How it is used")}{field("population", "For whom")}</Box>
      {field("owner", "Built by")}
      <Typography variant="h3">Data</Typography>
      <DataFiles chosen={chosen} onAdd={add} onChange={(place, part) => chosen[place] && change(chosen[place].name, part)} onHow={correct} onRemove={(place) => setChosen((all) => all.filter((_, i) => i !== place))} />
      {columns.length > 0 && (
        <>
          <Box sx={row(fields.outcome === "binary" ? "1fr 1fr 1fr" : "1fr 1fr")}>
            {choice("target", "Target", same(columns))}
            {fields.outcome === "binary" && field("positive", "Positive value (yes, if empty and there is one)")}
            {choice("part", "Column that names the parts", [["", "none"], ...same(columns)])}
          </Box>
          <Box sx={row("1fr 1fr 1fr")}>{several("identifier", "Identifiers")}{several("protected", "Protected")}{several("ignore", "To ignore")}</Box>
        </>
      )}
      <Typography variant="h3">Recipe</Typography>
      <Box sx={row("1fr 1fr 1fr")}>
        {choice("family", "Family", [["", "none: it can't be refitted"], ...named(vocabulary.data?.families)])}
        {field("threshold", "Threshold")}
        {field("seed", "Seed")}
      </Box>
      {fields.family && (
        <>
          <TextField multiline minRows={2} label="Settings, one a line, such as depth: 3" {...register("settings")} />
          <Box sx={row("1fr 1fr 1fr")}>
            {choice("missing", "Missing values", same(["median", "mean", "mode", "constant", "indicator", "drop"]))}
            {choice("scale", "Scaling", same(["none", "standard", "minmax", "robust"]))}
            {choice("encode", "Categories", same(["onehot", "ordinal", "target"]))}
          </Box>
        </>
      )}
      <Typography variant="h3">Claims</Typography>
      {claims.fields.map((claim, i) => (
        <Box key={claim.id} sx={row("1fr 1fr 1fr auto")}>
          <Controller control={control} name={`claims.${i}.measure`} render={({ field: f }) => (
            <TextField select label="Measure" error={!!errors.claims?.[i]?.measure} {...f}>
              {named(vocabulary.data?.measures).map(([key, words]) => <MenuItem key={key} value={key}>{words}</MenuItem>)}
            </TextField>
          )} />
          <TextField label="Part, such as test" {...register(`claims.${i}.part`)} />
          <TextField label="Value" error={!!errors.claims?.[i]?.value} {...register(`claims.${i}.value`)} />
          <Button onClick={() => claims.remove(i)}>Remove</Button>
        </Box>
      ))}
      <Button sx={{ justifySelf: "start" }} onClick={() => claims.append({ measure: named(vocabulary.data?.measures)[0]?.[0] ?? "", part: "test", value: "" })}>Add a claim</Button>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
        <Button type="submit" variant="contained" disabled={pending || !chosen.length}>{pending ? "Checking …" : "Submit the model"}</Button>
        {isStarted(fields) && (
          <>
            <Typography variant="body2" sx={{ color: "text.secondary" }}>What you typed is kept in this browser until it is submitted.</Typography>
            <Button onClick={() => reset(EMPTY)}>Clear the form</Button>
          </>
        )}
      </Box>
    </Box>
  );
}
