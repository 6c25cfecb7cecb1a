/** The plan: all seven questions as sentences, with values to set inside them, a limit at the end of the line. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Children, Fragment, useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import type { Case, Plan as PlanBody, Schemas } from "../../api/client";
import { useEstimate, usePlan, useSavePlan, useStartRun } from "../../api/queries";
import { useTheCase } from "../../frame/CaseFrame";
import { useKeys } from "../../frame/keys";
import { InlineChoice, InlineNumber } from "../../parts/Inline";
import { Fetching, Said } from "../../parts/Said";
import { useUndo } from "../../parts/undo";
import { SERIF } from "../../theme";
import { count, moment, plural, QUESTIONS, seconds } from "../../wording";
import { DeviationForm, OpenDeviation, PastDeviations } from "./Deviations";
import { PlanFile } from "./PlanFile";
import { GroundLines, Harms } from "./Harms";
import { FoldsSentence, RowsSentence } from "./PlanRows";

type MainMeasure = NonNullable<PlanBody["main_measure"]>;
type Limits = Schemas["Policy"];

export function Plan() {
  const { theCase } = useTheCase();
  const found = usePlan(theCase.id);
  const save = useSavePlan(theCase.id);
  const start = useStartRun(theCase.id);
  const go = useNavigate();
  const view = found.data;
  const { change, undo, canUndo } = useUndo<PlanBody>((plan) => view && save.mutate({ revision: view.revision, plan }));
  const editable = theCase.may.review && !view?.locked;
  useKeys([{ keys: "u", does: "undo the last change of the plan", act: () => editable && undo() }]);
  if (found.isPending) return <Fetching what="the plan" />;
  if (!view) return <Box sx={{ p: 3 }}><Said error={found.error} /></Box>;
  const plan = view.plan;
  const open = view.deviations.find((one) => one.closed === null);
  const off = !editable || save.isPending;
  const set = (part: Partial<PlanBody>) => change(plan, { ...plan, ...part });
  const setLimits = (part: Partial<Limits>) => set({ policy: { ...plan.policy, ...part } });
  const run = () => start.mutate(undefined, { onSuccess: () => void go(`/cases/${theCase.id}/evidence`) });
  const check = (name: string, sentence: ReactNode, limit: ReactNode) => view.checks.includes(name) && (
    <Sentence key={name} on={plan.checks?.includes(name) ?? false} disabled={off} name={name} excluded={view.excluded[name]}
      onToggle={(on) => set({ checks: on ? [...(plan.checks ?? []), name] : (plan.checks ?? []).filter((c) => c !== name) })} limit={limit}>
      {sentence}
    </Sentence>
  );
  const limit = (name: string, value: number | null | undefined, put: (v: number) => void, min = 0, max = 100) => (
    <InlineNumber name={name} value={value ?? 0} min={min} max={max} disabled={off} onSet={put} />
  );
  const p = plan.policy;
  const number = view.outcome === "number";
  const tierWords = `from the tier ${theCase.tier} policy`;
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: "100%" }}>
      <Box sx={{ px: 3, pt: 1, flex: 1 }}>
        <Said error={save.error ?? start.error} />
        {open && <OpenDeviation caseId={theCase.id} deviation={open} mayReview={theCase.may.review} />}
        {view.problem && <Box sx={{ color: "brook.brick", py: 1 }} role="alert">{view.problem}</Box>}
        <Part title="How the rows are used">
          <Sentence limit={Object.entries(view.sizes).map(([part, n]) => `${count(n)} ${part}`).join(" · ")}>
            <RowsSentence plan={plan} view={view} off={off} set={set} />, with seed{" "}
            <InlineNumber name="Seed of the plan" value={plan.seed} min={0} max={2 ** 32 - 1} disabled={off} onSet={(seed) => set({ seed })} />.
          </Sentence>
          {view.outcome !== "choice" && <Sentence limit={tierWords}>
            <FoldsSentence plan={plan} view={view} off={off} set={set} />, on the rows outside the test part. Judge by{" "}
            <InlineChoice name="Main measure" value={plan.main_measure ?? "auc"} options={Object.entries(view.main_measures) as [MainMeasure, string][]} disabled={off} onSet={(main_measure) => set({ main_measure })} />, and groups on{" "}
            <span style={{ whiteSpace: "nowrap" }}><InlineChoice name="Part that decides" value={plan.deciding_part ?? "out_of_fold"} options={[["out_of_fold", "out-of-fold scores"], ["validation", "the validation part"], ["test", "the test part"]]} disabled={off} onSet={(deciding_part) => set({ deciding_part })} />.</span>
          </Sentence>}
        </Part>
        <Part title={`1 ${QUESTIONS[0]}`}>
          {check("profile", <>Describe the rows: gaps, repeats, and {view.positive ? `the share of ${view.positive}` : "the outcome"} in each part.</>, "no limit set")}
          {check("association", "Say how strongly each feature goes together with the target.", "no limit set")}
          {check("leaks", "Look for what gives the answer away: one column that decides the target alone, gaps that do, identifiers, dates.", <>limit: {number ? "R²" : "AUC"} of one column ≤ {limit("Limit on what one column tells alone", p.alone?.at_most, (v) => setLimits({ alone: { ...p.alone, at_most: v } }), 0, 1)}</>)}
          {check("without_leaks", "Refit the recipe without the features that give the answer away, and without identifiers; see what its score becomes.", "no limit set")}
          {check("repeats", "Count rows that repeat or contradict another, and those that training and unseen rows share.", "limit: no identifier or group shared")}
          {check("shift", "Compare the parts, and any later rows, feature by feature; see if a model can tell them apart.", <>limit: PSI ≤ {limit("Limit on the population stability index", p.psi?.at_most, (v) => setLimits({ psi: { ...p.psi, at_most: v } }), 0, 10)}</>)}
          {check("labels", "Look for rows whose outcome the other rows contradict; refit without them, and as they were marked, with the rows that are scored untouched.", "no limit set")}
        </Part>
        <Part title={`2 ${QUESTIONS[1]}`}>
          {check("claims", <>Recompute the {plural(view.claims, "claim")}; call one overstated when it lies beyond what these rows allow, in the direction that flatters.</>, "limit: none overstated")}
        </Part>
        <Part title={`3 ${QUESTIONS[2]}`}>
          {check("holdout", number ? "Set every part side by side: measures, errors by prediction." : "Set every part side by side: measures, confusion matrix, curves.", "no limit set")}
          {check("cross_validation", "Compare the folds; their spread, against what sampling alone gives, counts as unstable beyond its limit.", <>limit: SD ≤ {limit("Limit on SD over folds, times sampling", p.fold_sd_ratio?.at_most, (v) => setLimits({ fold_sd_ratio: { ...p.fold_sd_ratio, at_most: v } }))} × sampling</>)}
          {check("threshold", "Show what moving the threshold does, to every group too.", "no limit set")}
          {check("luck", <>Split the rows at random <InlineNumber name="Random splits" value={plan.splits ?? 100} min={10} max={1000} disabled={off} onSet={(splits) => set({ splits })} /> times as the owner did, and see where the claim lies among the results.</>, <>limit: percentile ≤ {limit("Limit on the percentile of a claim", p.percentile?.at_most, (v) => setLimits({ percentile: { ...p.percentile, at_most: v } }))}</>)}
          {check("segments", <>Measure every segment of the features that are not protected, the worst first{view.timed ? ", and by time" : ""}.</>, "no limit set")}
        </Part>
        <Part title={`4 ${QUESTIONS[3]}`}>
          {check("gap", "Measure the gap between training rows, out-of-fold rows and test rows.", number
            ? <>limit: gap in R² ≤ {limit("Limit on the gap in R²", p.gap_r2?.at_most, (v) => setLimits({ gap_r2: { ...p.gap_r2, at_most: v } }), 0, 1)}</>
            : <>limit: gap ≤ {limit("Limit on the gap", p.gap?.at_most, (v) => setLimits({ gap: { ...p.gap, at_most: v } }), 0, 1)}</>)}
          {check("shuffled", <>Shuffle the outcomes <InlineNumber name="Shuffles" value={plan.shuffles ?? 50} min={20} max={1000} disabled={off} onSet={(shuffles) => set({ shuffles })} /> times and refit: what it still gets right on its own rows, it memorises; what it gets right on unseen rows is chance.</>,
            <>limits: capacity ≤ {limit("Limit on the capacity to memorise", p.capacity?.at_most, (v) => setLimits({ capacity: { ...p.capacity, at_most: v } }), 0, 1)}, p ≤ {limit("Limit on p against shuffled outcomes", p.shuffled_p?.at_most, (v) => setLimits({ shuffled_p: { ...p.shuffled_p, at_most: v } }), 0, 1)}</>)}
          {check("complexity", "Turn the recipe's own dial from the simplest to the most complex, and see where unseen rows do best.", "limit: no simpler value better by more than its interval")}
          {check("learning", "Learn from a tenth of the rows up to all, and see whether more would help.", "no limit set")}
          {check("preparation", "Learn scales, fillings and levels from all rows instead of training rows, and see what that leak would gain.", "no limit set")}
          {check("optimism", <>Correct the score on its own rows for optimism, by {plan.shuffles ?? 50} resamples.</>, "no limit set")}
          {check("trees", "Draw the fitted tree, or any one of several, with training and unseen rows in every node.", "no limit set")}
        </Part>
        <Part title={`5 ${QUESTIONS[4]}`}>
          {check("baseline", number ? "Set it against always predicting the mean, on the same rows." : "Set it against the most frequent answer, on the same rows.", "limit: better by more than its interval")}
          {check("challengers", <>Set it against other families <InlineChoice name="Challengers" value={plan.challengers ?? "default"} options={[["default", "with their own defaults"] as const, ["tuned", "tuned inside the folds"] as const]} disabled={off} onSet={(challengers) => set({ challengers })} />, on the same folds, and rank them.</>, number && view.plan.main_measure !== "r2" ? "no limit set" : <>limit: worse by ≤ {limit("Limit on being worse than a challenger", -(p.worse_than_challenger?.at_least ?? 0), (v) => setLimits({ worse_than_challenger: { ...p.worse_than_challenger, at_least: -v } }), 0, 1)}</>)}
          {check("in_use", <>Set it against the version in use, <VersionInUse plan={plan} view={view} off={off} set={set} />, refitted on the same rows, and look at who changes side.</>, number && view.plan.main_measure !== "r2" ? "no limit set" : "the same limit")}
        </Part>
        <Part title={`6 ${QUESTIONS[5]}`}>
          {!number && <Sentence limit={null}>Which harm to people matters here?</Sentence>}
          {!number && <Harms plan={plan} grounds={view.grounds} off={off} set={set} />}
          {check("groups", <>Compare {view.protected.join(", ").replaceAll("_", " ") || "nothing: no column is protected"}, group by group, with a reference group{number ? "" : "; the four-fifths rule beside it"}.</>, number ? "no limit set" : <GroupLimits p={p} harms={plan.harms ?? []} limit={limit} off={off} setLimits={setLimits} />)}
          <GroundLines plan={plan} grounds={view.grounds} off={off} set={set} />
          {check("combinations", "The same for every pair and every triple of grounds that has groups large enough; find who is worse off than either ground alone would make them.", number ? "no limit set" : "the same limits")}
          {check("direct_use", "See what the recipe makes of protected columns among its features: change that column alone, and count the decisions that turn.", "no limit set")}
          {check("proxies", "Look for features that stand in for a protected attribute, and for what the model makes of them; see if the attribute can be predicted from the features.", "no limit set")}
          {check("leaving_out", "Refit without the protected columns, then without the strongest proxies too: what it costs in score, what it gains in parity.", "no limit set")}
          {check("not_collected", "Say which grounds on the policy's list the data lack, and audit samples that were joined to have them.", "no limit set")}
          {check("group_thresholds", "Show every group's rates along the threshold.", "no limit set")}
          {check("group_versions", "Audit the version in use in the same way, on the same rows, beside this one.", "no limit set")}
        </Part>
        <Part title={`7 ${QUESTIONS[6]}`}>
          {check("choice", <>Fit the choice on training occasions; give every coefficient, what it is worth in{" "}
            <InlineChoice name="Worth is given in" value={plan.ratio_to ?? ""} options={[["", "the first feature with an expected sign"] as const, ...view.features.map((one) => [one, one] as const)]} disabled={off} onSet={(one) => set({ ratio_to: one || null })} />, and what was predicted and chosen on unseen occasions.</>, "limit: no sign contrary to what is expected")}
          {check("coefficients", <>Give every coefficient with its interval ({plan.shuffles ?? 50} resamples where the fit is penalised), and its sign against what is expected.</>, "limit: no sign contrary to what is expected")}
          {check("influence", "Let one feature after another change places among unseen rows, and see what the score loses.", "no limit set")}
          {check("shape", "Move one feature after another over its range, and see how the prediction moves, on average and row by row.", "limit: no direction contrary to what is expected")}
          {check("sensitivity", number ? "Disturb one feature after another by a little noise, a gap, an extreme value, and see how far predictions move." : "Disturb one feature after another by a little noise, a gap, an extreme value, and count the decisions that change.", "no limit set")}
        </Part>
        <Notes view={view} />
        <PastDeviations deviations={view.deviations} />
        <PlanFile caseId={theCase.id} editable={editable && !save.isPending} onTake={(other) => change(plan, other)} />
      </Box>
      <Foot theCase={theCase} view={view} busy={save.isPending || start.isPending} onRun={run} onUndo={editable && canUndo ? undo : undefined} />
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
  const fits = view.fits === null ? "The plan can't be run yet" : again ? `${plural(view.pending ?? 0, "fit")} of ${view.fits} and ${plural(view.to_run ?? 0, "exhibit")} still to be made` : plural(view.fits, "distinct fit");
  const estimate = useEstimate(theCase.id, view.revision, theCase.may.review && !running && view.problem === null && (view.pending ?? 0) > 0);
  const long = estimate.data?.seconds != null ? `about ${seconds(estimate.data.seconds)} of one worker` : estimate.data?.ready === false ? "trial fits are being made" : "";
  const words = view.locked ? (running ? "Running" : "Run what changed") : again ? "Lock again and run what changed" : "Lock the plan and run";
  return (
    <Box sx={{ position: "sticky", bottom: 0, bgcolor: "background.default", borderTop: 1, borderColor: "divider", zIndex: 1 }}>
      {deviating && view.locked && <DeviationForm caseId={theCase.id} onDone={() => setDeviating(false)} />}
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, px: 3, minHeight: 52 }}>
        <span style={{ whiteSpace: "nowrap" }}>{fits}</span>
        {long && <Typography variant="body2" title="From small trial fits on these rows; workers share it" sx={{ color: "text.secondary" }}>{long}</Typography>}
        {view.shared && !again ? <Typography variant="body2" sx={{ color: "text.secondary" }}>{count(view.shared)} shared</Typography> : null}
        <Typography variant="body2" sx={{ color: "text.secondary", ml: "auto", textAlign: "right" }}>
          {view.locked ? `Locked by ${view.locked_by}, ${moment(view.locked)}` : again ? "" : "Once it is locked, a change is a deviation with a reason."}
        </Typography>
        {onUndo && <Button disabled={busy} onClick={onUndo}>Undo</Button>}
        {theCase.may.review && view.locked && !deviating && <Button disabled={busy || running} onClick={() => setDeviating(true)}>Deviate from it</Button>}
        {theCase.may.review && !(view.locked && nothing) && (
          <Button variant="contained" disabled={busy || view.problem !== null || running} onClick={onRun} sx={{ whiteSpace: "nowrap" }}>{words}</Button>
        )}
      </Box>
    </Box>
  );
}

function Unanswered({ children }: { children: ReactNode }) {
  return (
    <Sentence limit="">
      <Box component="span" sx={{ color: "text.secondary" }}>{children}</Box>
    </Sentence>
  );
}

/** Versions can be told apart by name; the recipe goes into the plan with it. */
function VersionInUse({ plan, view, off, set }: { plan: PlanBody; view: Schemas["PlanView"]; off: boolean; set: (part: Partial<PlanBody>) => void }) {
  const known = [...view.versions, ...(plan.in_use && !view.versions.some((one) => one.version === plan.in_use?.version) ? [plan.in_use] : [])];
  return (
    <InlineChoice name="Version in use" value={plan.in_use?.version ?? ""} disabled={off}
      options={[["", known.length ? "none named" : "none submitted here"] as const, ...known.map((one) => [one.version, one.version] as const)]}
      onSet={(version) => set({ in_use: known.find((one) => one.version === version) ?? null })} />
  );
}

interface GroupLimitsProps {
  p: Limits;
  harms: readonly string[];
  limit: (name: string, value: number | null | undefined, put: (v: number) => void, min?: number, max?: number) => ReactNode;
  off: boolean;
  setLimits: (part: Partial<Limits>) => void;
}

/** The limits on what the plan's harms are judged by. */
function GroupLimits({ p, harms, limit, off, setLimits }: GroupLimitsProps) {
  const [ratio, slope] = [p.group_ratio ?? {}, p.group_slope ?? {}];
  const differs = harms.includes("passed_over") || harms.includes("picked");
  const ratios = ["unequal_shares", "passed_over", "meaning"].some((harm) => harms.includes(harm));
  return (
    <>
      {ratios && (
        <div>
          ratios <InlineNumber name="Lowest ratio" value={ratio.at_least ?? 0.8} min={0} max={1} disabled={off} onSet={(at_least) => setLimits({ group_ratio: { ...ratio, at_least } })} /> –{" "}
          <InlineNumber name="Highest ratio" value={ratio.at_most ?? 1.25} min={1} max={100} disabled={off} onSet={(at_most) => setLimits({ group_ratio: { ...ratio, at_most } })} />
        </div>
      )}
      {differs && <div>|difference| ≤ {limit("Limit on differences of group rates", p.group_difference?.at_most, (v) => setLimits({ group_difference: { ...p.group_difference, at_most: v, at_least: -v } }), 0, 1)}</div>}
      {harms.includes("meaning") && (
        <div>
          slope <InlineNumber name="Lowest calibration slope" value={slope.at_least ?? 0.8} min={0} max={1} disabled={off} onSet={(at_least) => setLimits({ group_slope: { ...slope, at_least } })} /> –{" "}
          <InlineNumber name="Highest calibration slope" value={slope.at_most ?? 1.25} min={1} max={100} disabled={off} onSet={(at_most) => setLimits({ group_slope: { ...slope, at_most } })} />
        </div>
      )}
    </>
  );
}

function Notes({ view }: { view: Schemas["PlanView"] }) {
  const lines = [
    view.owner_split,
    view.missing_grounds.length ? `On the policy's list of grounds and not marked in these data: ${view.missing_grounds.join(", ")}.` : null,
    ...view.remarks,
  ].filter((line): line is string => Boolean(line));
  return (
    <Box sx={{ py: 1.5 }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>Before you lock</Typography>
      {lines.map((line) => <Typography key={line} variant="body2" color="text.secondary">{line}</Typography>)}
    </Box>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ display: "grid", gridTemplateColumns: "200px 1fr", gap: 2.5, borderBottom: 1, borderColor: "divider", py: 0.9 }}>
      <Typography variant="h3" sx={{ mt: 0.25 }}>{title}</Typography>
      <div>{Children.toArray(children).length > 0 ? children : <Unanswered>Nothing answers this for a choice yet; question 7 tests the model.</Unanswered>}</div>
    </Box>
  );
}

interface SentenceProps {
  children: ReactNode;
  limit: ReactNode;
  name?: string;
  on?: boolean;
  disabled?: boolean;
  excluded?: string | undefined;
  onToggle?: (on: boolean) => void;
}

function Sentence({ children, limit, name, on = true, disabled, excluded, onToggle }: SentenceProps) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "20px 1fr 176px", gap: 0.75, font: `430 15px/1.55 ${SERIF}`, color: on ? "text.primary" : "text.secondary", mb: 0.25 }}>
      {onToggle ? (
        <input type="checkbox" aria-label={`Run ${(name ?? "").replaceAll("_", " ")}`} checked={on} disabled={disabled} onChange={(event) => onToggle(event.target.checked)} style={{ width: 15, height: 15, margin: "5px 0 0", accentColor: "var(--mui-palette-primary-main)" }} />
      ) : (
        <Fragment><span /></Fragment>
      )}
      <div>
        {children}
        {excluded && <Box sx={{ fontSize: 12, fontFamily: "body1.fontFamily", color: "brook.ochre" }}>Will not run: {excluded}</Box>}
      </div>
      <Box sx={{ fontFamily: '"Inter Variable", sans-serif', fontSize: 12, color: "text.secondary", textAlign: "right", pt: 0.4 }}>{limit}</Box>
    </Box>
  );
}
