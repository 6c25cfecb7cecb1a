/** The brief as a form. It makes the same submission.yaml that a package carries. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { Controller, useFieldArray, useForm, useWatch } from "react-hook-form";
import { useLocation } from "react-router";
import { useLastVersion, useSubmission, useTakeAway, type Draft } from "../../api/drafts";
import { useModels, useVocabulary } from "../../api/queries";
import { Said } from "../../parts/Said";
import { listed } from "../../wording";
import { briefOf, briefShape, type BriefFields } from "./brief";
import { DataFiles } from "./DataFiles";
import { Due } from "./Due";
import { pathOf, type DataFile } from "./dataFile";
import { fieldsOf, notInForm, type Filled } from "./fromLast";
import { HAS_POSITIVE, submissionFrom } from "./submission";
import { useUploads } from "./uploads";
import { useBriefKeeping } from "./useBrief";

const same = (words: readonly string[]) => words.map((w) => [w, w] as const);

export function BriefForm({ draft }: { draft: Draft }) {
  const start = useRef(briefOf(draft)).current;
  const [files, setFiles] = useState<DataFile[]>(start.files);
  const [due, setDue] = useState(draft.due);
  const [columns, setColumns] = useState<string[]>([]);
  const uploads = useUploads(draft.id);
  const takeAway = useTakeAway(draft.id);
  const submission = useSubmission(draft.id);
  const vocabulary = useVocabulary();
  const models = useModels({ mine: true });
  const last = useLastVersion();
  const [filled, setFilled] = useState<Filled | null>(
    (useLocation().state as { filled?: Filled } | null)?.filled ?? null,
  );
  const { register, control, handleSubmit, formState, setValue, reset } = useForm<BriefFields>({
    resolver: zodResolver(briefShape),
    defaultValues: start.fields,
  });
  const claims = useFieldArray({ control, name: "claims" });
  const fields = useWatch({ control }) as BriefFields;
  const kept = useBriefKeeping(draft, { way: "form", fields, files }, due);
  const errors = formState.errors;
  const change = (name: string, part: Partial<DataFile>) =>
    setFiles((all) => all.map((one) => (one.name === name ? { ...one, ...part } : one)));
  const add = (chosen: File[]) => {
    const fresh = chosen.filter((file) => !files.some((one) => one.name === file.name));
    setFiles((all) => [
      ...all,
      ...fresh.map((file): DataFile => ({ name: file.name, kind: "rows", part: "", key: "", how: {} })),
    ]);
    for (const file of chosen) void uploads.send(`data/${file.name}`, file);
  };
  const remove = (file: DataFile) => {
    setFiles((all) => all.filter((one) => one.name !== file.name));
    if (draft.files.some((one) => one.path === pathOf(file))) takeAway.mutate(pathOf(file));
  };
  const whole =
    files.length > 0 &&
    files.every(
      (file) =>
        !uploads.isSending(pathOf(file)) &&
        draft.files.some((one) => one.path === pathOf(file) && one.received === one.size),
    );
  const chosenModel = models.data?.models.find((model) => model.key === fields.key);
  const isAgain = fields.version.trim() !== "" && fields.version.trim() === chosenModel?.newest.version;
  const send = handleSubmit(async (values) => {
    const said = { ...values, again: isAgain ? values.again : "" };
    const declared = new Blob([JSON.stringify(submissionFrom(said, files))]);
    await kept.keepNow();
    if (await uploads.send("submission.yaml", declared, `brief ${Date.now()}`)) submission.mutate();
  });
  const fillIn = async (model: NonNullable<typeof chosenModel>) => {
    const newest = await last.mutateAsync(model.newest.id).catch(() => null);
    if (newest === null) return;
    reset({ ...fieldsOf(newest.submission), key: model.key, name: model.name, version: fields.version });
    setFilled({ version: newest.version, left: notInForm(newest.submission) });
  };
  const named = (list: { name: string; words: string; outcomes: string[] }[] | undefined) =>
    (list ?? []).filter((one) => one.outcomes.includes(fields.outcome)).map((one) => [one.name, one.words] as const);
  const mine = models.data?.models ?? [];
  const field = (
    name: "version" | "purpose" | "owner" | "use" | "population" | "positive" | "threshold" | "seed",
    label: string,
  ) => <TextField label={label} error={!!errors[name]} helperText={errors[name]?.message} {...register(name)} />;
  const choice = (
    name:
      | "tier"
      | "outcome"
      | "family"
      | "missing"
      | "scale"
      | "encode"
      | "text"
      | "target"
      | "part"
      | "occasion"
      | "alternative"
      | "available",
    label: string,
    options: readonly (readonly [string, string])[],
  ) => (
    <Controller
      control={control}
      name={name}
      render={({ field: f }) => (
        <TextField
          select
          label={label}
          error={!!errors[name]}
          helperText={errors[name]?.message}
          {...f}
          value={options.some(([key]) => key === f.value) ? f.value : ""}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          {options.map(([key, words]) => (
            <MenuItem key={key} value={key}>
              {words}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
  const several = (name: "identifier" | "protected" | "ignore", label: string) => (
    <Controller
      control={control}
      name={name}
      render={({ field: f }) => (
        <TextField
          select
          label={label}
          {...f}
          value={f.value.filter((one) => columns.includes(one))}
          slotProps={{ select: { multiple: true }, inputLabel: { shrink: true } }}
        >
          {columns.map((column) => (
            <MenuItem key={column} value={column}>
              {column}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
  const row = (columnsOf: string) => ({ display: "grid", gridTemplateColumns: columnsOf, gap: 1.5 });
  return (
    <Box component="form" aria-label="Brief" onSubmit={(event) => void send(event)} sx={{ display: "grid", gap: 1.5 }}>
      {mine.length > 0 && (
        <Controller
          control={control}
          name="key"
          render={({ field: f }) => (
            <TextField
              select
              label="Belongs to"
              {...f}
              value={mine.some((model) => model.key === f.value) ? f.value : ""}
              onChange={(event) => {
                f.onChange(event);
                const chosen = mine.find((model) => model.key === event.target.value);
                if (chosen) setValue("name", chosen.name, { shouldValidate: true });
                setFilled(null);
              }}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            >
              <MenuItem value="">a new model, or one of yours by its name</MenuItem>
              {mine.map((model) => (
                <MenuItem key={model.key} value={model.key}>
                  {model.name}, of {model.owner}; newest version {model.newest.version}
                </MenuItem>
              ))}
            </TextField>
          )}
        />
      )}
      {chosenModel && (
        <Box aria-label="As before" role="group" sx={{ fontSize: "size.text", color: "text.secondary" }}>
          {filled === null ? (
            <Button disabled={last.isPending} onClick={() => void fillIn(chosenModel)} sx={{ ml: "-5px" }}>
              Fill in what {chosenModel.newest.version} said
            </Button>
          ) : (
            <>
              Filled in as {filled.version} said; give the new version and its data file, and change what changed.
              {filled.left.length > 0 &&
                ` What ${filled.version} said and this form can\u2019t: ${listed(filled.left)}. Send a package for that.`}
            </>
          )}
          <Said error={last.error} />
        </Box>
      )}
      <Box sx={row("1fr 110px 130px 150px")}>
        <TextField
          label="Model"
          error={!!errors.name}
          helperText={errors.name?.message}
          {...register("name")}
          slotProps={{ htmlInput: { readOnly: !!fields.key }, inputLabel: { shrink: !!fields.name || undefined } }}
        />
        {field("version", "Version")}
        {choice("tier", "Tier", [
          ["1", "1, high stakes"],
          ["2", "2"],
          ["3", "3, low"],
        ])}
        {choice("outcome", "Outcome", [
          ["binary", "yes/no"],
          ["multiclass", "several classes"],
          ["number", "a number"],
          ["choice", "a choice"],
        ])}
      </Box>
      {isAgain && (
        <TextField
          label="Why it is reviewed again"
          helperText={`${fields.version} was sent before. Where it is the same model on other rows, say why it is reviewed again; a model that changed is a new version.`}
          slotProps={{ inputLabel: { shrink: true } }}
          {...register("again")}
        />
      )}
      {field("purpose", "Purpose")}
      <Box sx={row("1fr 1fr")}>
        {field("use", "How it is used")}
        {field("population", "For whom")}
      </Box>
      {field("owner", "Built by")}
      <Typography variant="h3">Data</Typography>
      <DataFiles
        draft={draft}
        files={files}
        uploads={uploads}
        onAdd={add}
        onChange={change}
        onRemove={remove}
        onColumns={setColumns}
      />
      {columns.length > 0 && (
        <>
          <Box sx={row(HAS_POSITIVE.includes(fields.outcome) ? "1fr 1fr 1fr" : "1fr 1fr")}>
            {choice("target", "Target", [["", "not yet: the reviewer chooses it"], ...same(columns)])}
            {HAS_POSITIVE.includes(fields.outcome) &&
              field(
                "positive",
                fields.outcome === "choice" ? "Value that says chosen" : "Positive value; yes, if empty",
              )}
            {choice("part", "Column that names the parts", [["", "none"], ...same(columns)])}
          </Box>
          {fields.outcome === "choice" && (
            <Box sx={row("1fr 1fr 1fr")}>
              {choice("occasion", "Column that names the occasion", same(columns))}
              {choice("alternative", "Column that names the alternative", same(columns))}
              {choice("available", "Column that says if it could be had", [["", "none: all could"], ...same(columns)])}
            </Box>
          )}
          <Box sx={row("1fr 1fr 1fr")}>
            {several("identifier", "Identifiers")}
            {several("protected", "Protected")}
            {several("ignore", "To ignore")}
          </Box>
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
            {choice("text", "Free text", [
              ["left_out", "left out"],
              ["words", "its words, weighed (TF-IDF)"],
            ])}
          </Box>
        </>
      )}
      <Typography variant="h3">Claims</Typography>
      {claims.fields.map((claim, i) => (
        <Box key={claim.id} sx={row("1fr 1fr 1fr auto")}>
          <Controller
            control={control}
            name={`claims.${i}.measure`}
            render={({ field: f }) => (
              <TextField select label="Measure" error={!!errors.claims?.[i]?.measure} {...f}>
                {named(vocabulary.data?.measures).map(([key, words]) => (
                  <MenuItem key={key} value={key}>
                    {words}
                  </MenuItem>
                ))}
              </TextField>
            )}
          />
          <TextField label="Part, such as test" {...register(`claims.${i}.part`)} />
          <TextField label="Value" error={!!errors.claims?.[i]?.value} {...register(`claims.${i}.value`)} />
          <Button onClick={() => claims.remove(i)}>Remove</Button>
        </Box>
      ))}
      <Button
        sx={{ justifySelf: "start" }}
        onClick={() =>
          claims.append({ measure: named(vocabulary.data?.measures)[0]?.[0] ?? "", part: "test", value: "" })
        }
      >
        Add a claim
      </Button>
      <Said error={kept.error ?? submission.error ?? takeAway.error ?? uploads.fault("submission.yaml")} />
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
        <Button
          type="submit"
          variant="contained"
          disabled={!whole || submission.isPending || uploads.isSending("submission.yaml")}
        >
          Submit the model
        </Button>
        <Due due={due} onSet={setDue} />
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {kept.state === "kept" ? "Kept as it is; it can be left half done." : "Keeping …"}
        </Typography>
      </Box>
    </Box>
  );
}
