/** The plan: all seven questions as sentences, with values to set inside them, a limit at the end of the line. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Children, useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import type { Case, Plan as PlanBody, Schemas } from "../../api/client";
import { useEstimate, usePlan, useSavePlan, useStartRun } from "../../api/queries";
import { useTheCase } from "../../frame/CaseFrame";
import { BegunFrom } from "../../frame/BegunFrom";
import { useKeys } from "../../frame/keys";
import { InlineChoice, InlineMaybeNumber, InlineNumber } from "../../parts/Inline";
import { Fetching, Said } from "../../parts/Said";
import { useUndo } from "../../parts/undo";
import { count, moment, plural, questions, seconds } from "../../wording";
import { DeviationForm, OpenDeviation, PastDeviations } from "./Deviations";
import { Field } from "./Fields";
import { PlanFile } from "./PlanFile";
import { PlanName } from "./PlanName";
import { FoldsSentence, RowsSentence } from "./PlanRows";
import { CheckSentence, SentenceRow, StatementRow, SubLine } from "./SentenceLine";
import { withCheck, withStatement, withValue, type Value } from "./values";

export function Plan() {
  const { theCase } = useTheCase();
  const found = usePlan(theCase.id);
  const save = useSavePlan(theCase.id);
  const start = useStartRun(theCase.id);
  const go = useNavigate();
  const [naming, setNaming] = useState(false);
  const view = found.data;
  const { change, undo, canUndo } = useUndo<PlanBody>((plan) => view && save.mutate({ revision: view.revision, plan }));
  const editable = theCase.may.review && !view?.locked;
  useKeys([{ keys: "u", does: "undo the last change of the plan", act: () => editable && undo() }]);
  if (found.isPending) return <Fetching what="the plan" />;
  if (!view)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const plan = view.plan;
  const open = view.deviations.find((one) => one.closed === null);
  const off = !editable || save.isPending;
  const set = (part: Partial<PlanBody>) => change(plan, { ...plan, ...part });
  const put = (path: readonly string[], value: Value, mirror?: readonly string[] | null) => {
    const next = withValue(plan, path, value);
    change(plan, mirror && typeof value === "number" ? withValue(next, mirror, -value) : next);
  };
  const run = () => start.mutate(undefined, { onSuccess: () => void go(`/cases/${theCase.id}/evidence`) });
  const tierWords = `from the tier ${theCase.tier} policy`;
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: "100%" }}>
      <Box sx={{ px: 3, pt: 1, flex: 1 }}>
        <Said error={save.error ?? start.error} />
        <BegunFrom caseId={theCase.id} about="plan" revision={view.revision} />
        <PlanName
          caseId={theCase.id}
          view={view}
          onName={theCase.may.review ? () => setNaming(true) : undefined}
          naming={naming}
          onDone={() => setNaming(false)}
        />
        {open && <OpenDeviation caseId={theCase.id} deviation={open} mayReview={theCase.may.review} />}
        {view.problem && (
          <Box sx={{ color: "brook.brick", py: 1 }} role="alert">
            {view.problem}
          </Box>
        )}
        <Part title="How the rows are used">
          <SentenceRow
            limit={Object.entries(view.sizes)
              .map(([part, n]) => `${count(n)} ${part}`)
              .join(" · ")}
          >
            <RowsSentence plan={plan} view={view} off={off} set={set} />, with seed{" "}
            <InlineNumber
              name="Seed of the plan"
              value={plan.seed}
              min={0}
              max={2 ** 32 - 1}
              whole
              disabled={off}
              onSet={(seed) => set({ seed })}
            />
            .
            {view.timed && plan.parts.kind === "shares" && (plan.parts.by ?? "rows") === "rows" && (
              <Box sx={{ mt: 0.5 }}>
                Not by time, because{" "}
                <Field
                  field={{
                    kind: "text",
                    name: "Why rows in time are split at random",
                    path: ["split_reason"],
                    value: plan.split_reason ?? "",
                    hint: "why unseen rows need not be the latest ones; the report shows it",
                  }}
                  off={off}
                  onSet={put}
                />
              </Box>
            )}
          </SentenceRow>
          <SentenceRow limit={tierWords}>
            <FoldsSentence plan={plan} view={view} off={off} set={set} />, on the rows outside the test part. Judge by{" "}
            <InlineChoice
              name="Main measure"
              value={plan.main_measure ?? ""}
              options={Object.entries(view.main_measures)}
              disabled={off}
              onSet={(main_measure) => set({ main_measure })}
            />
            , and groups on{" "}
            <span style={{ whiteSpace: "nowrap" }}>
              <InlineChoice
                name="Part that decides"
                value={plan.deciding_part ?? "out_of_fold"}
                options={[
                  ["out_of_fold", "out-of-fold scores"],
                  ["validation", "the validation part"],
                  ["test", "the test part"],
                ]}
                disabled={off}
                onSet={(deciding_part) => set({ deciding_part })}
              />
              .
            </span>
            {view.undecided && (
              <Box sx={{ mt: 0.5 }}>
                Decide at{" "}
                <InlineMaybeNumber
                  name="Decide at"
                  value={plan.threshold ?? null}
                  disabled={off}
                  onSet={(threshold) => set({ threshold })}
                />
                : {view.positive} when the score is at least that.{" "}
                <Box component="span" sx={{ color: plan.threshold == null ? "brook.ochre" : "text.secondary" }}>
                  {view.undecided}
                  {plan.threshold == null ? "; until one is set, nothing that rests on a decision is computed." : "."}
                </Box>
              </Box>
            )}
          </SentenceRow>
        </Part>
        {view.departures.length > 0 && (
          <Part title="Other limits that depart from the policy">
            {view.departures.map((line, i) => (
              <SubLine key={i} line={line} off={off} onSet={put} />
            ))}
          </Part>
        )}
        {questions().map(({ number, question }) => (
          <Part key={number} title={`${number} ${question}`}>
            {view.sentences
              .filter((one) => one.question === number)
              .map((one) => (
                <CheckSentence
                  key={one.check}
                  name={one.check}
                  title={one.title}
                  on={one.on}
                  excluded={one.excluded}
                  sentence={one.sentence}
                  off={off}
                  onToggle={(on) => change(plan, withCheck(plan, one.check, on))}
                  onSet={put}
                />
              ))}
            {view.statements
              .filter((one) => one.question === number)
              .map((one) => (
                <StatementRow
                  key={one.name}
                  statement={one}
                  off={off}
                  onToggle={(on) => change(plan, withStatement(plan, one.name, on))}
                />
              ))}
          </Part>
        ))}
        <Notes view={view} />
        <PastDeviations deviations={view.deviations} />
        <PlanFile
          caseId={theCase.id}
          editable={editable && !save.isPending}
          onTake={(other) => change(plan, other)}
          onName={theCase.may.review && !view.name && !view.note && !naming ? () => setNaming(true) : undefined}
        />
      </Box>
      <Foot
        theCase={theCase}
        view={view}
        busy={save.isPending || start.isPending}
        onRun={run}
        onUndo={editable && canUndo ? undo : undefined}
      />
    </Box>
  );
}

interface FootProps {
  theCase: Case;
  view: Schemas["PlanView"];
  busy: boolean;
  onRun: () => void;
  onUndo: (() => void) | undefined;
}

/** What a run comes to, and the way to it; once locked, the way to a deviation. */
function Foot({ theCase, view, busy, onRun, onUndo }: FootProps) {
  const [deviating, setDeviating] = useState(false);
  const running = theCase.run_state === "running";
  const again = view.locked !== null || view.deviations.some((one) => one.closed === null);
  const nothing = again && view.to_run === 0 && view.pending === 0;
  const fits =
    view.fits === null
      ? view.counted
        ? "The plan can't be run yet"
        : "Its fits are being counted"
      : again
        ? `${plural(view.pending ?? 0, "fit")} of ${view.fits} and ${plural(view.to_run ?? 0, "exhibit")} still to be made`
        : plural(view.fits, "distinct fit");
  const estimate = useEstimate(
    theCase.id,
    view.revision,
    theCase.may.review && !running && view.problem === null && (view.pending ?? 0) > 0,
  );
  const long =
    estimate.data?.seconds != null
      ? `about ${seconds(estimate.data.seconds)} of one worker`
      : estimate.data?.ready === false
        ? "trial fits are being made"
        : "";
  const words = view.locked
    ? running
      ? "Running"
      : "Run what changed"
    : again
      ? "Lock again and run what changed"
      : "Lock the plan and run";
  return (
    <Box
      sx={{
        position: "sticky",
        bottom: 0,
        bgcolor: "background.default",
        borderTop: 1,
        borderColor: "divider",
        zIndex: 1,
      }}
    >
      {deviating && view.locked && <DeviationForm caseId={theCase.id} onDone={() => setDeviating(false)} />}
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, px: 3, minHeight: 52 }}>
        <span style={{ whiteSpace: "nowrap" }}>{fits}</span>
        {long && (
          <Typography
            variant="body2"
            title="From small trial fits on these rows; workers share it"
            sx={{ color: "text.secondary" }}
          >
            {long}
          </Typography>
        )}
        {view.shared && !again ? (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {count(view.shared)} shared
          </Typography>
        ) : null}
        <Typography variant="body2" sx={{ color: "text.secondary", ml: "auto", textAlign: "right" }}>
          {view.locked
            ? `Locked by ${view.locked_by}, ${moment(view.locked)}`
            : again
              ? ""
              : "Once it is locked, a change is a deviation with a reason."}
        </Typography>
        {onUndo && (
          <Button disabled={busy} onClick={onUndo}>
            Undo
          </Button>
        )}
        {theCase.may.review && view.locked && !deviating && (
          <Button disabled={busy || running} onClick={() => setDeviating(true)} sx={{ whiteSpace: "nowrap" }}>
            Deviate from it
          </Button>
        )}
        {theCase.may.review && !(view.locked && nothing) && (
          <Button
            variant="contained"
            disabled={busy || view.problem !== null || running}
            onClick={onRun}
            sx={{ whiteSpace: "nowrap" }}
          >
            {words}
          </Button>
        )}
      </Box>
    </Box>
  );
}

function Unanswered({ children }: { children: ReactNode }) {
  return (
    <SentenceRow limit="">
      <Box component="span" sx={{ color: "text.secondary" }}>
        {children}
      </Box>
    </SentenceRow>
  );
}

function Notes({ view }: { view: Schemas["PlanView"] }) {
  const lines = [
    view.owner_split,
    view.missing_grounds.length
      ? `On the policy's list of grounds and not marked in these data: ${view.missing_grounds.join(", ")}.`
      : null,
    ...view.remarks,
  ].filter((line): line is string => Boolean(line));
  return (
    <Box sx={{ py: 1.5 }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>
        Before you lock
      </Typography>
      {lines.map((line) => (
        <Typography key={line} variant="body2" color="text.secondary">
          {line}
        </Typography>
      ))}
    </Box>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        display: "grid",
        gridTemplateColumns: "200px 1fr",
        gap: 2.5,
        borderBottom: 1,
        borderColor: "divider",
        py: 0.9,
      }}
    >
      <Typography variant="h3" sx={{ mt: 0.25 }}>
        {title}
      </Typography>
      <div>
        {Children.toArray(children).length > 0 ? (
          children
        ) : (
          <Unanswered>Nothing answers this for a choice yet; question 7 tests the model.</Unanswered>
        )}
      </div>
    </Box>
  );
}
