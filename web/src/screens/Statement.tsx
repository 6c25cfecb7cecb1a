/** A statement: what no computation answers, judged by the reviewer in writing, with files attached. */
import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { Link } from "react-router";
import { z } from "zod";
import type { Case } from "../api/client";
import {
  fileAddress,
  useAttach,
  useSaveStatement,
  useTakeAway,
  type Statement as Written,
  type StatementStanding,
  type StatementText,
} from "../api/statements";
import { GaugeMark } from "../marks/GaugeMark";
import { FileLink } from "../parts/FileLink";
import { Said } from "../parts/Said";
import { SERIF } from "../theme";
import { moment, question, questions, size, statementStanding, statementStandings } from "../wording";

/** One of the reviewer's own, before anything is written. */
export const OWN: Written = {
  id: null,
  number: null,
  name: "",
  question: 7,
  title: "",
  asks: "",
  due: false,
  judgement: "",
  standing: null,
  reason: "",
  files: [],
  author: null,
  changed: null,
  revision: 0,
  withdrawn: false,
  written_before: null,
};

/** How the address calls a statement: by the policy's name, or by its number in the database. */
export const keyOf = (one: Written) =>
  one.withdrawn || !one.name ? (one.id === null ? "own" : String(one.id)) : one.name;

interface StatementProps {
  theCase: Case;
  statement: Written;
  onWritten: (key: string) => void;
}

export function Statement({ theCase, statement, onWritten }: StatementProps) {
  const [isEditing, setEditing] = useState(false);
  const mayWrite = theCase.may.review;
  const isMissing = statement.id === null;
  return (
    <article aria-label={isMissing ? statement.title || "A statement" : `Statement ${statement.number}`}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="h2" sx={{ fontSize: "size.lead", fontWeight: 500, color: "text.secondary" }}>
          {statement.title
            ? `${question(statement.question)} · ${isMissing ? "Statement" : `Statement ${statement.number}`}, ${statement.title.toLowerCase()}`
            : "A statement of your own"}
        </Typography>
        {statement.standing && !statement.withdrawn && <GaugeMark standing={statement.standing} />}
        <Typography variant="body2" sx={{ color: isMissing && statement.due ? "brook.ochre" : "text.secondary" }}>
          {statement.withdrawn
            ? "withdrawn"
            : statement.standing
              ? statementStanding(statement.standing)
              : statement.due
                ? "due, not written"
                : ""}
        </Typography>
      </Box>
      {statement.asks && (
        <Typography sx={{ color: "text.secondary", fontSize: "size.text", mt: 0.75, maxWidth: 700 }}>
          {statement.asks}
        </Typography>
      )}
      {mayWrite && (isMissing || isEditing) ? (
        <Desk
          key={keyOf(statement)}
          theCase={theCase}
          statement={statement}
          onDone={(saved) => {
            setEditing(false);
            onWritten(keyOf(saved));
          }}
          onClose={isMissing ? undefined : () => setEditing(false)}
        />
      ) : (
        <Judged theCase={theCase} statement={statement} mayWrite={mayWrite} onEdit={() => setEditing(true)} />
      )}
    </article>
  );
}

interface JudgedProps {
  theCase: Case;
  statement: Written;
  mayWrite: boolean;
  onEdit: () => void;
}

function Judged({ theCase, statement, mayWrite, onEdit }: JudgedProps) {
  const save = useSaveStatement(theCase.id);
  if (statement.id === null)
    return (
      <Typography sx={{ mt: 1, color: "text.secondary" }}>
        Nobody has written it. The plan asks the reviewer for it.
      </Typography>
    );
  const withdraw = () =>
    save.mutate({
      id: statement.id,
      revision: statement.revision,
      statement: { ...textOf(statement), withdrawn: !statement.withdrawn },
    });
  return (
    <Box sx={{ opacity: statement.withdrawn ? 0.65 : 1 }}>
      <Typography
        sx={{
          fontFamily: SERIF,
          fontSize: "size.head",
          lineHeight: 1.45,
          my: 1.25,
          maxWidth: 700,
          whiteSpace: "pre-line",
          overflowWrap: "anywhere",
        }}
      >
        {statement.judgement}
      </Typography>
      <Typography sx={{ maxWidth: 700, whiteSpace: "pre-line", overflowWrap: "anywhere" }}>
        <b>{capital(statementStanding(statement.standing ?? ""))}, because:</b> {statement.reason}
      </Typography>
      {mayWrite && (
        <Box sx={{ display: "flex", gap: 1, mt: 1.5 }}>
          {!statement.withdrawn && (
            <Button variant="outlined" onClick={onEdit}>
              Change it
            </Button>
          )}
          <Button color="inherit" disabled={save.isPending} onClick={withdraw}>
            {statement.withdrawn ? "Restore" : "Withdraw"}
          </Button>
        </Box>
      )}
      <Said error={save.error} />
      <Files theCase={theCase} statement={statement} mayWrite={mayWrite && !statement.withdrawn} />
      <Typography
        variant="body2"
        sx={{ color: "text.secondary", mt: 1.5, borderTop: 1, borderColor: "divider", pt: 1 }}
      >
        Judged in writing by {statement.author}
        {statement.changed && `, ${moment(statement.changed)}`}; no computation answers it.
        {!statement.due && statement.name && " The plan does not ask for it."}
      </Typography>
    </Box>
  );
}

const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

function Files({ theCase, statement, mayWrite }: { theCase: Case; statement: Written; mayWrite: boolean }) {
  const attach = useAttach(theCase.id);
  const away = useTakeAway(theCase.id);
  const busy = attach.isPending || away.isPending;
  if (statement.files.length === 0 && !mayWrite) return null;
  return (
    <Box component="section" aria-label="Files attached" sx={{ mt: 2, maxWidth: 760 }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>
        Files attached
      </Typography>
      {statement.files.length === 0 && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          None: attach what the judgement rests on.
        </Typography>
      )}
      {statement.files.map((file) => (
        <Box
          key={file.id}
          sx={{
            display: "grid",
            gridTemplateColumns: "1fr 80px 190px auto",
            gap: 1.5,
            alignItems: "center",
            borderTop: 1,
            borderColor: "divider",
            minHeight: 34,
            fontSize: "size.text",
          }}
        >
          <FileLink path={file.path} address={fileAddress(theCase.id, statement.id ?? 0, file.id)} />
          <Box sx={{ textAlign: "right" }}>{size(file.size)}</Box>
          <Box component="code" title={`SHA-256 ${file.sha256}`} sx={{ color: "text.secondary" }}>
            {file.sha256.slice(0, 20)} …
          </Box>
          {mayWrite ? (
            <Button
              disabled={busy}
              aria-label={`Take ${file.path} away`}
              onClick={() => away.mutate({ statement, fileId: file.id })}
            >
              Take away
            </Button>
          ) : (
            <span />
          )}
        </Box>
      ))}
      {mayWrite && (
        <Button component="label" variant="outlined" disabled={busy} sx={{ mt: 1 }}>
          {attach.isPending ? "Sending …" : "Attach files"}
          <input
            type="file"
            multiple
            hidden
            onChange={(event) => {
              const files = [...(event.target.files ?? [])];
              event.target.value = "";
              if (files.length) attach.mutate({ statement, files });
            }}
          />
        </Button>
      )}
      <Said error={attach.error ?? away.error} />
    </Box>
  );
}

const shape = z.object({
  question: z.number().int().min(1).max(7),
  title: z.string().trim().min(1, "Say in a few words what it is about.").max(120, "Keep it under 120 characters."),
  asks: z.string().max(1000, "Keep it under 1000 characters."),
  judgement: z.string().trim().min(1, "Write your judgement.").max(12_000, "Keep it under 12 000 characters."),
  standing: z.enum(["within", "near", "outside", "unsettled"], { error: "Say how it stands." }),
  reason: z.string().trim().min(1, "Say why it stands so.").max(4000, "Keep it under 4000 characters."),
});
type Fields = z.infer<typeof shape>;

function textOf(statement: Written): StatementText {
  return {
    name: statement.name,
    question: statement.question,
    title: statement.title,
    asks: statement.asks,
    judgement: statement.judgement,
    standing: (statement.standing ?? "unsettled") as StatementStanding,
    reason: statement.reason,
    withdrawn: statement.withdrawn,
  };
}

interface DeskProps {
  theCase: Case;
  statement: Written;
  onDone: (saved: Written) => void;
  onClose: (() => void) | undefined;
}

interface WrittenBeforeProps {
  before: NonNullable<Written["written_before"]>;
  onTake: (before: NonNullable<Written["written_before"]>) => void;
}

/** What was judged of the version before: to be read, and to start from. */
function WrittenBefore({ before, onTake }: WrittenBeforeProps) {
  return (
    <Box
      component="aside"
      aria-label={`As judged of ${before.version}`}
      sx={{ borderLeft: 2, borderColor: "divider", pl: 1.25, color: "text.secondary", fontSize: "size.text" }}
    >
      <div>
        Of <Link to={`/cases/${before.case_id}/evidence`}>{before.version}</Link> {before.by} judged:{" "}
        {statementStanding(before.standing)}.
      </div>
      <Box sx={{ whiteSpace: "pre-line", overflowWrap: "anywhere" }}>{before.judgement}</Box>
      <Box sx={{ whiteSpace: "pre-line", overflowWrap: "anywhere" }}>Because: {before.reason}</Box>
      <Button onClick={() => onTake(before)} sx={{ ml: "-5px" }}>
        Start from these words
      </Button>
    </Box>
  );
}

function Desk({ theCase, statement, onDone, onClose }: DeskProps) {
  const save = useSaveStatement(theCase.id);
  const draft = `brookfall.statement.${theCase.id}.${keyOf(statement)}`;
  const kept = localStorage.getItem(draft);
  const { register, control, handleSubmit, watch, setValue, formState } = useForm<Fields>({
    resolver: zodResolver(shape),
    defaultValues: {
      ...textOf(statement),
      standing: (statement.standing ?? undefined) as StatementStanding | undefined,
      ...(kept ? (JSON.parse(kept) as Partial<Fields>) : {}),
    },
  });
  useEffect(() => {
    // Nothing written is lost: the draft stays in this browser until it is saved.
    const watching = watch((values) => localStorage.setItem(draft, JSON.stringify(values)));
    return () => watching.unsubscribe();
  }, [watch, draft]);
  const submit = handleSubmit(async (values) => {
    // By its promise: this form may be gone by the time that the statement is known to be kept.
    const saved = await save
      .mutateAsync({
        id: statement.id,
        revision: statement.revision,
        statement: { ...values, name: statement.name, withdrawn: false },
      })
      .catch(() => null);
    if (saved === null) return;
    localStorage.removeItem(draft);
    onDone(saved);
  });
  const errors = formState.errors;
  return (
    <Box
      component="form"
      aria-label="Statement"
      onSubmit={(event) => void submit(event)}
      sx={{ display: "grid", gap: 1.75, mt: 2, maxWidth: 700 }}
    >
      {statement.written_before && (
        <WrittenBefore
          before={statement.written_before}
          onTake={({ judgement, standing, reason }) => {
            setValue("judgement", judgement, { shouldDirty: true });
            setValue("standing", standing as StatementStanding, { shouldDirty: true });
            setValue("reason", reason, { shouldDirty: true });
          }}
        />
      )}
      {!statement.name && (
        <>
          <Box sx={{ display: "grid", gridTemplateColumns: "230px 1fr", gap: 1.5 }}>
            <Controller
              control={control}
              name="question"
              render={({ field }) => (
                <TextField
                  select
                  label="Question"
                  value={field.value}
                  onChange={(event) => field.onChange(Number(event.target.value))}
                >
                  {questions().map(({ number, title }) => (
                    <MenuItem key={number} value={number}>
                      {number} {title}
                    </MenuItem>
                  ))}
                </TextField>
              )}
            />
            <TextField label="Title" error={!!errors.title} helperText={errors.title?.message} {...register("title")} />
          </Box>
          <TextField
            label="What it answers"
            multiline
            error={!!errors.asks}
            helperText={errors.asks?.message}
            {...register("asks")}
          />
        </>
      )}
      <TextField
        label="Your judgement"
        multiline
        minRows={5}
        error={!!errors.judgement}
        helperText={errors.judgement?.message}
        {...register("judgement")}
      />
      <Controller
        control={control}
        name="standing"
        render={({ field }) => (
          <div>
            <RadioGroup
              row
              aria-label="How it stands"
              value={field.value ?? ""}
              onChange={(_, value) => field.onChange(value)}
            >
              {statementStandings().map((one) => (
                <FormControlLabel
                  key={one}
                  value={one}
                  control={<Radio size="small" />}
                  label={
                    <Box component="span" sx={{ display: "inline-flex", gap: 0.5, alignItems: "center" }}>
                      <span aria-hidden>
                        <GaugeMark standing={one} />
                      </span>
                      {statementStanding(one)}
                    </Box>
                  }
                />
              ))}
            </RadioGroup>
            {errors.standing && (
              <Box sx={{ color: "error.main", fontSize: "size.small" }} role="alert">
                {errors.standing.message}
              </Box>
            )}
          </div>
        )}
      />
      <TextField
        label="Why it stands so"
        multiline
        minRows={2}
        error={!!errors.reason}
        helperText={errors.reason?.message}
        {...register("reason")}
      />
      <Said error={save.error} />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <Button type="submit" variant="contained" disabled={save.isPending}>
          Save the statement
        </Button>
        {onClose && <Button onClick={onClose}>Close; the draft is kept here</Button>}
        {statement.id === null && (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Files are attached once it is saved.
          </Typography>
        )}
      </Box>
    </Box>
  );
}
