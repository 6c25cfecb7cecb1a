/** The list of findings, and the writing desk. One started from an exhibit already cites and quotes it. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, type ReactNode } from "react";
import { Controller, useForm } from "react-hook-form";
import { Link, useSearchParams } from "react-router";
import { z } from "zod";
import type { Case, Finding } from "../api/client";
import { useDrafted, useExhibit, useFindings, useRun, useSaveFinding } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";
import { useKeys } from "../frame/keys";
import { Tally } from "../marks/Tally";
import { Fetching, Said } from "../parts/Said";
import { useUndo } from "../parts/undo";
import { SERIF } from "../theme";
import { day, severities, severity } from "../wording";

const shape = z.object({
  severity: z.number().int().min(1).max(4),
  title: z.string().min(1, "Give it a title."),
  what: z.string().min(1, "Say what is wrong."),
  why: z.string(),
  action: z.string(),
  action_owner: z.string(),
  due: z.string(),
  cites: z.array(z.number()),
  thresholds: z.array(
    z.object({ exhibit: z.number(), chart: z.number(), threshold: z.number(), miss_cost: z.number().nullable() }),
  ),
});
type Written = z.infer<typeof shape>;

const EMPTY: Written = {
  severity: 2,
  title: "",
  what: "",
  why: "",
  action: "",
  action_owner: "",
  due: "",
  cites: [],
  thresholds: [],
};

export function Findings() {
  const { theCase } = useTheCase();
  const findings = useFindings(theCase.id);
  const save = useSaveFinding(theCase.id);
  const [search, setSearch] = useSearchParams();
  const writing = search.has("from") || search.has("write") || search.has("edit");
  const edited = findings.data?.find((f) => f.id === Number(search.get("edit")));
  const put = (finding: Finding) => {
    const now = findings.data?.find((f) => f.id === finding.id);
    save.mutate({
      findingId: finding.id,
      revision: now?.revision ?? finding.revision,
      finding: { ...textOf(finding), withdrawn: finding.withdrawn },
    });
  };
  const { change, undo, canUndo } = useUndo<Finding>(put);
  useKeys([
    { keys: "n", does: "write a new finding", act: () => theCase.may.review && setSearch({ write: "new" }) },
    { keys: "u", does: "undo the last change of a finding", act: () => theCase.may.review && undo() },
  ]);
  if (findings.isPending) return <Fetching what="the findings" />;
  return (
    <Box sx={{ p: 3, maxWidth: 860 }}>
      <Said error={findings.error ?? save.error} />
      {writing && theCase.may.review ? (
        <Desk
          key={search.toString()}
          group={search.get("group")}
          theCase={theCase}
          from={Number(search.get("from")) || null}
          chosen={chosenIn(search)}
          edited={edited}
          onClose={() => setSearch({})}
        />
      ) : (
        <Box sx={{ display: "flex", gap: 1, mb: 1 }}>
          {theCase.may.review && (
            <Button variant="contained" onClick={() => setSearch({ write: "new" })}>
              Write a finding
            </Button>
          )}
          {theCase.may.review && canUndo && <Button onClick={undo}>Undo</Button>}
        </Box>
      )}
      {!writing && theCase.may.review && <Drafts theCase={theCase} findings={findings.data ?? []} />}
      {findings.data?.length === 0 && !writing && (
        <Typography sx={{ color: "text.secondary" }}>
          Findings stand here: what is wrong, which exhibits show it, what must be done, by whom and when.{" "}
          {theCase.may.review && (
            <>
              Start one here, or with f on an exhibit of the <Link to={`/cases/${theCase.id}/evidence`}>evidence</Link>.
            </>
          )}
        </Typography>
      )}
      {findings.data?.map((finding) => (
        <FindingArticle
          key={finding.id}
          caseId={theCase.id}
          finding={finding}
          actions={
            theCase.may.review && (
              <>
                {!finding.withdrawn && <Button onClick={() => setSearch({ edit: String(finding.id) })}>Edit</Button>}
                <Button
                  color="inherit"
                  disabled={save.isPending}
                  onClick={() => change(finding, { ...finding, withdrawn: !finding.withdrawn })}
                >
                  {finding.withdrawn ? "Restore" : "Withdraw"}
                </Button>
              </>
            )
          }
        />
      ))}
    </Box>
  );
}

/** What the group exhibits found outside or near a limit, each ready to be edited and kept. */
function Drafts({ theCase, findings }: { theCase: Case; findings: readonly Finding[] }) {
  const drafted = useDrafted(theCase.id);
  const kept = new Set(findings.map((finding) => finding.title));
  const open = (drafted.data ?? []).filter((draft) => !kept.has(draft.title));
  if (open.length === 0) return null;
  return (
    <Box component="section" aria-label="Drafted from the evidence" sx={{ mb: 2 }}>
      <Typography variant="h3">Drafted from the evidence</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 0.5 }}>
        From what the group exhibits show outside or near a limit. Nothing here counts until you have read, edited and
        saved it.
      </Typography>
      {open.map((draft) => (
        <Box
          key={`${draft.exhibit} ${draft.title}`}
          sx={{
            display: "flex",
            gap: 1,
            alignItems: "center",
            borderTop: 1,
            borderColor: "divider",
            py: 0.5,
            fontSize: "size.text",
          }}
        >
          <Tally severity={draft.severity} />
          <span>
            {draft.title}, exhibit {draft.exhibit}
          </span>
          <Box
            component={Link}
            to={`?${addressOf(draft.exhibit, draft.group)}`}
            sx={{ ml: "auto", whiteSpace: "nowrap", minHeight: 24 }}
          >
            Read and edit
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** The address of a finding about one group of an exhibit. */
function addressOf(exhibit: number, group: Record<string, string>): string {
  return new URLSearchParams({ from: String(exhibit), group: JSON.stringify(group) }).toString();
}

export function FindingArticle({
  caseId,
  finding,
  actions,
}: {
  caseId: number;
  finding: Finding;
  actions?: ReactNode;
}) {
  return (
    <Box
      component="article"
      sx={{ borderTop: 1, borderColor: "divider", py: 1.5, opacity: finding.withdrawn ? 0.65 : 1 }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <Tally severity={finding.severity} />
        <Typography variant="h3" sx={{ fontSize: "size.head" }}>
          {finding.number}. {finding.title}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {finding.withdrawn ? "withdrawn" : severity(finding.severity)}, by {finding.author}
        </Typography>
        <Box sx={{ ml: "auto" }}>{actions}</Box>
      </Box>
      <Typography sx={{ whiteSpace: "pre-line", mt: 0.5 }}>{finding.what}</Typography>
      {finding.why && (
        <Typography sx={{ mt: 0.5 }}>
          <b>Why it matters.</b> {finding.why}
        </Typography>
      )}
      {finding.action && (
        <Typography sx={{ mt: 0.5 }}>
          <b>To be done</b>
          {finding.action_owner && ` by ${finding.action_owner}`}
          {finding.due && ` until ${day(finding.due)}`}: {finding.action}
        </Typography>
      )}
      {finding.cites.map((cite) => (
        <Box
          key={cite.exhibit}
          component="blockquote"
          sx={{
            m: 0,
            mt: 1,
            pl: 1.25,
            borderLeft: 2,
            borderColor: "primary.main",
            fontFamily: SERIF,
            fontSize: "size.lead",
          }}
        >
          <Link to={`/cases/${caseId}/evidence?exhibit=${cite.exhibit}`}>
            Exhibit {cite.exhibit}, {cite.title.toLowerCase()}
          </Link>
          : {cite.quote}
          {cite.read && <Box sx={{ mt: 0.5 }}>{cite.read}</Box>}
          {cite.now && <Box sx={{ color: "brook.ochre", fontSize: "size.text" }}>Since then it says: {cite.now}</Box>}
        </Box>
      ))}
    </Box>
  );
}

function textOf(finding: Finding) {
  return {
    severity: finding.severity,
    title: finding.title,
    what: finding.what,
    why: finding.why,
    action: finding.action,
    action_owner: finding.action_owner,
    due: finding.due,
    cites: finding.cites.map((c) => c.exhibit),
    thresholds: finding.cites.flatMap((c) => c.threshold ?? []),
    withdrawn: finding.withdrawn,
  };
}

type Chosen = Written["thresholds"][number];

/** The threshold that was chosen on a chart, as the address has it. */
function chosenIn(search: URLSearchParams): Chosen | null {
  const [exhibit, threshold] = [Number(search.get("from")), Number(search.get("threshold"))];
  if (!exhibit || !search.has("threshold") || !Number.isFinite(threshold)) return null;
  return {
    exhibit,
    chart: Number(search.get("chart")) || 0,
    threshold,
    miss_cost: Number(search.get("miss_cost")) || null,
  };
}

interface DeskProps {
  theCase: Case;
  from: number | null;
  /** The group that it is about, as the address has it. */
  group: string | null;
  chosen: Chosen | null;
  edited: Finding | undefined;
  onClose: () => void;
}

function Desk({ theCase, from, group, chosen, edited, onClose }: DeskProps) {
  const drafted = useDrafted(theCase.id);
  const about =
    group === null
      ? undefined
      : drafted.data?.find((one) => one.exhibit === from && JSON.stringify(one.group) === group);
  const run = useRun(theCase.id);
  const exhibit = useExhibit(theCase.id, run.data?.id ?? null, from);
  const save = useSaveFinding(theCase.id);
  const draft = `brookfall.finding.${theCase.id}.${edited?.id ?? (group !== null ? `${from}@${group}` : chosen ? `${from}@${chosen.threshold}` : from) ?? "new"}`;
  const kept = localStorage.getItem(draft);
  const form = useForm<Written>({
    resolver: zodResolver(shape),
    defaultValues: kept
      ? { ...EMPTY, ...(JSON.parse(kept) as Partial<Written>) }
      : edited
        ? { ...textOf(edited), due: edited.due ?? "" }
        : { ...EMPTY, cites: from ? [from] : [], thresholds: chosen ? [chosen] : [] },
  });
  const { register, control, handleSubmit, watch, setValue, getValues, formState } = form;
  useEffect(() => {
    // Nothing written is lost: the draft stays in this browser until it is saved.
    const watching = watch((values) => localStorage.setItem(draft, JSON.stringify(values)));
    return () => watching.unsubscribe();
  }, [watch, draft]);
  const answer = exhibit.data?.answer;
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
  const submit = handleSubmit(async (values) => {
    const here = window.location.href;
    // By its promise: this form may be gone by the time that the finding is known to be kept.
    const saved = await save
      .mutateAsync({
        findingId: edited?.id ?? null,
        revision: edited?.revision ?? 0,
        finding: {
          ...values,
          thresholds: values.thresholds.filter((one) => values.cites.includes(one.exhibit)),
          due: values.due || null,
          withdrawn: false,
        },
      })
      .catch(() => null);
    if (saved === null) return;
    localStorage.removeItem(draft);
    // Whoever has gone on to another page meanwhile is not fetched back.
    if (window.location.href === here) onClose();
  });
  const errors = formState.errors;
  const cites = watch("cites");
  const thresholds = watch("thresholds") ?? [];
  return (
    <Box
      component="form"
      aria-label="Finding"
      onSubmit={(event) => void submit(event)}
      sx={{ display: "grid", gap: 1.5, mb: 3 }}
    >
      <Typography variant="h2">{edited ? `Finding ${edited.number}` : "A new finding"}</Typography>
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
        <TextField label="By whom" {...register("action_owner")} />
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
      <Said error={save.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={save.isPending}>
          Save the finding
        </Button>
        <Button onClick={onClose}>Close; the draft is kept here</Button>
      </Box>
    </Box>
  );
}
