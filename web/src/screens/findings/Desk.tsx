/** The writing desk. A finding started from an exhibit already cites and quotes it. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import { Controller, useForm } from "react-hook-form";
import type { Case, Finding } from "../../api/client";
import { useCasePeople, useSaveFinding } from "../../api/findings";
import { useNewRows } from "../../api/newRows";
import { useDrafted, useExhibit, useRun } from "../../api/queries";
import { Tally } from "../../marks/Tally";
import { Said } from "../../parts/Said";
import { severities, severity } from "../../wording";
import { BeginFromText } from "./BeginFromText";
import { unfilled } from "./unfilled";
import { EMPTY, shape, textOf, type Chosen, type Written } from "./written";

interface DeskProps {
  theCase: Case;
  from: number | null;
  /** The scored file of new rows that it is about. */
  rows: number | null;
  /** The group that it is about, as the address has it. */
  group: string | null;
  chosen: Chosen | null;
  edited: Finding | undefined;
  /** Told of the finding as it was, once a change of it is kept. */
  onChanged: (before: Finding) => void;
  onClose: () => void;
}

export function Desk({ theCase, from, rows, group, chosen, edited, onChanged, onClose }: DeskProps) {
  const drafted = useDrafted(theCase.id);
  const about =
    group === null
      ? undefined
      : drafted.data?.find((one) => one.exhibit === from && JSON.stringify(one.group) === group);
  const run = useRun(theCase.id);
  const exhibit = useExhibit(theCase.id, run.data?.id ?? null, from);
  const people = useCasePeople(theCase.id);
  const save = useSaveFinding(theCase.id);
  const scorings = useNewRows(theCase.id).data?.scorings.filter((one) => one.state === "done") ?? [];
  const draft = `brookfall.finding.${theCase.id}.${edited?.id ?? (rows !== null ? `rows${rows}` : group !== null ? `${from}@${group}` : chosen ? `${from}@${chosen.threshold}` : from) ?? "new"}`;
  const kept = localStorage.getItem(draft);
  const form = useForm<Written>({
    resolver: zodResolver(shape),
    defaultValues: kept
      ? { ...EMPTY, ...(JSON.parse(kept) as Partial<Written>) }
      : edited
        ? { ...textOf(edited), due: edited.due ?? "" }
        : {
            ...EMPTY,
            cites: from ? [from] : [],
            new_rows: rows ? [rows] : [],
            thresholds: chosen ? [chosen] : [],
          },
  });
  const { register, control, handleSubmit, watch, setValue, getValues, formState } = form;
  useEffect(() => {
    // Nothing written is lost: the draft stays in this browser until it is saved.
    const watching = watch((values) => localStorage.setItem(draft, JSON.stringify(values)));
    return () => watching.unsubscribe();
  }, [watch, draft]);
  const answer = exhibit.data?.answer ?? scorings.find((one) => one.number === rows)?.said;
  const isReady = group === null || drafted.isFetched;
  useEffect(() => {
    if (edited || !isReady || getValues("what")) return;
    if (about)
      for (const [name, value] of [
        ["severity", about.severity],
        ["title", about.title],
        ["what", about.what],
        ["why", about.why],
        ["action", about.action],
      ] as const)
        setValue(name, value);
    else if (answer) setValue("what", answer);
  }, [answer, about, isReady, edited, getValues, setValue]);
  const submit = (asDraft: boolean) =>
    handleSubmit(async (values) => {
      const here = window.location.href;
      // By its promise: this form may be gone by the time that the finding is known to be kept.
      const saved = await save
        .mutateAsync({
          findingId: edited?.id ?? null,
          revision: edited?.revision ?? 0,
          draft: asDraft,
          finding: {
            ...values,
            thresholds: values.thresholds.filter((one) => values.cites.includes(one.exhibit)),
            due: values.due || null,
          },
        })
        .catch(() => null);
      if (saved === null) return;
      localStorage.removeItem(draft);
      if (edited) onChanged(edited);
      // Whoever has gone on to another page meanwhile is not fetched back.
      if (window.location.href === here) onClose();
    })();
  const errors = formState.errors;
  const cites = watch("cites");
  const newRows = watch("new_rows") ?? [];
  const thresholds = watch("thresholds") ?? [];
  const left = unfilled(...watch(["title", "what", "why", "action"]));
  return (
    <Box
      component="form"
      aria-label="Finding"
      onSubmit={(event) => {
        event.preventDefault();
        void submit(false);
      }}
      sx={{ display: "grid", gap: 1.5, mb: 3 }}
    >
      <Typography variant="h2">{edited ? `Finding ${edited.number}` : "A new finding"}</Typography>
      {!edited && (
        <BeginFromText
          caseId={theCase.id}
          exhibit={from}
          onTake={(words) => {
            for (const name of ["severity", "title", "what", "why", "action"] as const)
              setValue(name, words[name], { shouldDirty: true });
          }}
        />
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "170px 1fr", gap: 1.5 }}>
        <Controller
          control={control}
          name="severity"
          render={({ field }) => (
            <TextField
              select
              label="Severity"
              value={field.value}
              onChange={(event) => field.onChange(Number(event.target.value))}
            >
              {severities().map((s) => (
                <MenuItem key={s} value={s}>
                  <Tally severity={s} />
                  &nbsp;{severity(s)}
                </MenuItem>
              ))}
            </TextField>
          )}
        />
        <TextField
          label="Title"
          autoFocus
          error={!!errors.title}
          helperText={errors.title?.message}
          {...register("title")}
        />
      </Box>
      {(
        [
          ["what", "What is wrong", 3],
          ["why", "Why it matters", 2],
          ["action", "What must be done", 2],
        ] as const
      ).map(([name, label, rows]) => (
        // Controlled, so that the field grows with what is put into it.
        <Controller
          key={name}
          control={control}
          name={name}
          render={({ field }) => (
            <TextField
              label={label}
              multiline
              minRows={rows}
              error={!!errors[name]}
              helperText={errors[name]?.message}
              slotProps={{ inputLabel: { shrink: true } }}
              {...field}
              inputRef={field.ref}
            />
          )}
        />
      ))}
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 190px", gap: 1.5 }}>
        <Controller
          control={control}
          name="action_owner"
          render={({ field }) => (
            <TextField
              select
              label="By whom"
              slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
              {...field}
              inputRef={field.ref}
            >
              <option value="">nobody by name</option>
              {[...new Set([...(people.data?.answerable ?? []), field.value])]
                .filter((name) => name !== "")
                .map((name) => (
                  <option key={name}>{name}</option>
                ))}
            </TextField>
          )}
        />
        <TextField label="Until" type="date" slotProps={{ inputLabel: { shrink: true } }} {...register("due")} />
      </Box>
      <Box
        role="group"
        aria-label="Exhibits cited"
        sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, fontSize: "size.cell" }}
      >
        {run.data?.exhibits.map((e) => (
          <label key={e.number}>
            <input
              type="checkbox"
              checked={cites.includes(e.number)}
              onChange={(event) =>
                setValue("cites", event.target.checked ? [...cites, e.number] : cites.filter((n) => n !== e.number), {
                  shouldDirty: true,
                })
              }
            />{" "}
            {e.number} {e.title}
          </label>
        ))}
      </Box>
      {scorings.length > 0 && (
        <Box
          role="group"
          aria-label="New rows cited"
          sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, fontSize: "size.cell" }}
        >
          {scorings.map((one) => (
            <label key={one.number}>
              <input
                type="checkbox"
                checked={newRows.includes(one.number)}
                onChange={(event) =>
                  setValue(
                    "new_rows",
                    event.target.checked ? [...newRows, one.number] : newRows.filter((n) => n !== one.number),
                    { shouldDirty: true },
                  )
                }
              />{" "}
              New rows {one.number}, {one.file}
            </label>
          ))}
        </Box>
      )}
      {thresholds
        .filter((one) => cites.includes(one.exhibit))
        .map((one) => (
          <Box key={one.exhibit} sx={{ fontSize: "size.text" }}>
            With the threshold {one.threshold} of exhibit {one.exhibit}
            {one.miss_cost ? `, a miss as dear as ${one.miss_cost} false alarms` : ""}: what it decides is computed when
            the finding is saved.{" "}
            <Button
              onClick={() =>
                setValue(
                  "thresholds",
                  thresholds.filter((other) => other !== one),
                  { shouldDirty: true },
                )
              }
            >
              Leave it out
            </Button>
          </Box>
        ))}
      {left.length > 0 && (
        <Typography role="status" sx={{ color: "brook.ochre" }}>
          Still to be filled in: {left.join(", ")}.
        </Typography>
      )}
      <Said error={save.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={save.isPending}>
          {edited ? "Save the finding" : "Save and send to the owner"}
        </Button>
        {!edited && (
          <Button variant="outlined" disabled={save.isPending} onClick={() => void submit(true)}>
            Keep as a draft
          </Button>
        )}
        <Button onClick={onClose}>Close; what is written stays here</Button>
      </Box>
    </Box>
  );
}
