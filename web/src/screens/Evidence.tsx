/** At the left the seven questions with their exhibits; in the middle one exhibit, answer first. A run fills it live. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { Case, Run } from "../api/client";
import { useOverrulings } from "../api/overrides";
import { useCancelRun, useExhibit, useRegrouped, useRun } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";
import { useKeys } from "../frame/keys";
import { useMarginOf } from "../frame/margin";
import { useStatements, type Statement as Written } from "../api/statements";
import { GaugeMark } from "../marks/GaugeMark";
import { Fetching, Said } from "../parts/Said";
import { plural, questions, seconds } from "../wording";
import { Replay } from "./Replay";
import { groupIn } from "../charts/groups/combinations";
import { type ChosenThreshold } from "./Content";
import { isChanged, NO_CHANGE, Regroup, type Regrouping } from "./Regroup";
import { ExhibitView } from "./ExhibitView";
import { Overruled } from "./Overruled";
import { keyOf, OWN, Statement } from "./Statement";
import { addressNow } from "../parts/address";

export function Evidence() {
  const { theCase, openMargin } = useTheCase();
  const run = useRun(theCase.id);
  const statements = useStatements(theCase.id);
  const cache = useQueryClient();
  const go = useNavigate();
  const [search, setSearch] = useSearchParams();
  const { margin, write } = useMarginOf(theCase.id);
  const numbers = run.data?.exhibits.map((e) => e.number) ?? [];
  const asked = Number(search.get("exhibit"));
  const inWriting = search.get("statement");
  const chosen = inWriting !== null ? null : asked || (numbers[0] ?? null);
  const there = chosen !== null && numbers.includes(chosen);
  const exhibit = useExhibit(theCase.id, run.data?.id ?? null, there ? chosen : null);
  const isStale = run.data?.exhibits.some((e) => e.number === chosen && e.state === "stale");
  const show = (number: number | undefined) => number && setSearch({ exhibit: String(number) }, { replace: true });
  const showStatement = (key: string) => setSearch({ statement: key }, { replace: true });
  const step = (by: number) =>
    show(numbers[Math.min(Math.max(numbers.indexOf(chosen ?? 0) + by, 0), numbers.length - 1)]);
  const setAside = () => {
    if (!margin || !chosen) return;
    const held = margin.set_aside.includes(chosen);
    write({
      ...margin,
      set_aside: held ? margin.set_aside.filter((n) => n !== chosen) : [...margin.set_aside, chosen],
    });
    openMargin();
  };
  const [wanted, setWanted] = useState<{ number: number; groups: Regrouping } | null>(null);
  const groups = wanted?.number === chosen ? wanted.groups : NO_CHANGE;
  const otherwise = useRegrouped(theCase.id, run.data?.id ?? null, chosen, isChanged(groups) ? groups : null);
  const put = (name: string, value: string) => {
    const next = addressNow();
    next.set(name, value);
    setSearch(next, { replace: true });
  };
  const find = (at?: ChosenThreshold, group?: Record<string, string>) => {
    if (!theCase.may.review || !chosen) return;
    const address = new URLSearchParams({ from: String(chosen) });
    if (group) address.set("group", JSON.stringify(group));
    if (at) address.set("chart", String(at.chart));
    if (at) address.set("threshold", String(at.threshold));
    if (at?.missCost) address.set("miss_cost", String(at.missCost));
    void go(`/cases/${theCase.id}/findings?${address}`);
  };
  const [asTables, setAsTables] = useState(false);
  useKeys([
    { keys: "]", does: "next exhibit", act: () => step(1) },
    { keys: "[", does: "previous exhibit", act: () => step(-1) },
    {
      keys: "f",
      does: "write a finding from this exhibit",
      act: () => find(undefined, groupIn(search.get("group") ?? "")),
    },
    { keys: "a", does: "set this exhibit aside, or put it back", act: setAside },
    { keys: "t", does: "show tables, or pictures again", act: () => setAsTables(!asTables) },
  ]);
  const state = run.data?.state;
  useEffect(() => {
    if (state && state !== "running") void cache.invalidateQueries({ queryKey: ["case", theCase.id] });
  }, [state, cache, theCase.id]);
  if (run.isPending) return <Fetching what="the evidence" />;
  if (!run.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={run.error} />
      </Box>
    );
  const written = statements.data?.find((one) => keyOf(one) === inWriting) ?? (inWriting === "own" ? OWN : undefined);
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "244px 1fr", minHeight: "100%" }}>
      <Index
        theCase={theCase}
        run={run.data}
        statements={statements.data ?? []}
        chosen={chosen}
        inWriting={inWriting}
        onShow={show}
        onStatement={showStatement}
      />
      <Box sx={{ p: 3, pt: 1.75, minWidth: 0 }}>
        {state === "running" && <Progress theCase={theCase} run={run.data} />}
        {state === "cancelled" && (
          <Typography sx={{ mb: 1, color: "brook.ochre" }}>
            {run.data.laid_out
              ? `The run was cancelled after ${plural(run.data.done, "fit")} of ${run.data.needed}. What was finished is kept; running again goes on from there.`
              : "The run was cancelled before its fits were laid out."}
          </Typography>
        )}
        {state !== "running" && <StaleNote theCase={theCase} run={run.data} />}
        <Said error={exhibit.error} />
        <Said error={otherwise.error ?? statements.error} />
        {written ? (
          <Statement key={inWriting} theCase={theCase} statement={written} onWritten={showStatement} />
        ) : run.data.id === null ? (
          <NothingRun theCase={theCase} />
        ) : exhibit.data && there ? (
          <ExhibitView
            key={exhibit.data.number}
            exhibit={
              isChanged(groups) && otherwise.data
                ? otherwise.data
                : isStale
                  ? { ...exhibit.data, state: "stale" }
                  : exhibit.data
            }
            caseId={theCase.id}
            groups={{
              chosen: search.get("group") ?? "",
              onChoose: (key) => put("group", key),
              onFind: theCase.may.review ? (group) => find(undefined, group) : undefined,
              above: (ground) => (
                <Regroup
                  key={ground.attribute}
                  caseId={theCase.id}
                  ground={ground}
                  wanted={groups}
                  mayReview={theCase.may.review}
                  onWant={(next) => setWanted({ number: chosen, groups: next })}
                />
              ),
            }}
            mayFind={theCase.may.review}
            isAside={margin?.set_aside.includes(exhibit.data.number) ?? false}
            asTables={asTables}
            onFind={find}
            onAside={setAside}
            onTables={() => setAsTables(!asTables)}
            overruled={<Overruled caseId={theCase.id} exhibit={exhibit.data} />}
            replay={
              <Replay
                caseId={theCase.id}
                runId={run.data.id}
                number={exhibit.data.number}
                mayReplay={
                  theCase.may.replay &&
                  !isStale &&
                  !isChanged(groups) &&
                  exhibit.data.state === "done" &&
                  state !== "running"
                }
              />
            }
          />
        ) : (
          <Typography sx={{ color: "text.secondary" }}>
            {inWriting !== null && statements.data
              ? "There is no such statement in this case."
              : chosen
                ? `Exhibit ${chosen} is not there yet.`
                : "Exhibits appear here as their fits are done."}
          </Typography>
        )}
      </Box>
    </Box>
  );
}

interface IndexProps {
  theCase: Case;
  run: Run;
  statements: readonly Written[];
  chosen: number | null;
  inWriting: string | null;
  onShow: (number: number) => void;
  onStatement: (key: string) => void;
}

function Index({ theCase, run, statements, chosen, inWriting, onShow, onStatement }: IndexProps) {
  const overruled = new Set(useOverrulings(theCase.id).data?.overruled.map((one) => one.exhibit));
  return (
    <Box
      component="nav"
      aria-label="Exhibits"
      sx={{ borderRight: 1, borderColor: "divider", pl: 3, pr: 1.25, pt: 0.5, pb: 2 }}
    >
      {run.plan_name && (
        <Typography variant="body2" sx={{ color: "text.secondary", mt: 0.75, overflowWrap: "anywhere" }}>
          Plan: {run.plan_name}
        </Typography>
      )}
      {questions().map(({ number, question, title }) => {
        const checks = run.checks.filter((c) => c.question === number);
        const written = statements.filter((one) => one.question === number && !one.withdrawn);
        return (
          <Box key={question} component="section" aria-label={question}>
            <Typography variant="h3" sx={{ fontSize: "size.text", mt: 1.1, mb: 0.25 }} title={question}>
              {number} {title}
            </Typography>
            {checks.length === 0 && written.length === 0 && (
              <Box sx={{ fontSize: "size.small", color: "brook.muted", pl: 3.25 }}>
                {run.id === null ? "not run" : "no check in the plan"}
              </Box>
            )}
            {checks.map((check) => {
              const exhibit = run.exhibits.find((e) => e.number === check.number);
              const waiting =
                run.state === "running"
                  ? check.needed
                    ? `${check.done} of ${check.needed} fits`
                    : "waiting"
                  : "not run";
              return (
                <IndexLine
                  key={check.number}
                  number={String(check.number)}
                  title={check.title}
                  isChosen={chosen === check.number}
                  onShow={exhibit ? () => onShow(check.number) : undefined}
                >
                  {exhibit ? (
                    exhibit.state === "failed" ? (
                      "failed"
                    ) : exhibit.state === "stale" ? (
                      <Box component="span" sx={{ color: "brook.ochre" }}>
                        stale
                      </Box>
                    ) : exhibit.state === "not_applicable" ? (
                      "not run"
                    ) : (
                      <>
                        {overruled.has(exhibit.number) && (
                          <Box component="span" sx={{ color: "brook.ochre", mr: 0.5 }}>
                            overruled
                          </Box>
                        )}
                        <GaugeMark standing={exhibit.standing} />
                      </>
                    )
                  ) : (
                    waiting
                  )}
                </IndexLine>
              );
            })}
            {written.map((one) => (
              <IndexLine
                key={keyOf(one)}
                number={one.number === null ? "" : `S${one.number}`}
                title={one.title}
                isChosen={inWriting === keyOf(one)}
                onShow={() => onStatement(keyOf(one))}
              >
                {one.standing ? (
                  <GaugeMark standing={one.standing} />
                ) : (
                  <Box component="span" sx={{ color: "brook.ochre" }}>
                    due
                  </Box>
                )}
              </IndexLine>
            ))}
          </Box>
        );
      })}
      <Typography variant="body2" sx={{ mt: 2 }}>
        <Link to={`/cases/${theCase.id}/compare`}>Compare models on the same rows</Link>
      </Typography>
      <Typography variant="body2" sx={{ mt: 1 }}>
        <Link to={`/cases/${theCase.id}/new-rows`}>New rows, scored</Link>
      </Typography>
      {theCase.may.review && (
        <Typography variant="body2" sx={{ mt: 1 }}>
          <Link to="?statement=own">Write a statement of your own</Link>
        </Typography>
      )}
      {statements.some((one) => one.withdrawn) && (
        <Typography variant="body2" sx={{ mt: 1, color: "text.secondary" }}>
          Withdrawn:{" "}
          {statements
            .filter((one) => one.withdrawn)
            .map((one, i) => (
              <span key={keyOf(one)}>
                {i > 0 && ", "}
                <Link to={`?statement=${keyOf(one)}`}>{one.title.toLowerCase()}</Link>
              </span>
            ))}
        </Typography>
      )}
    </Box>
  );
}

interface IndexLineProps {
  number: string;
  title: string;
  isChosen: boolean;
  onShow: (() => void) | undefined;
  children: ReactNode;
}

/** A line of the index: an exhibit by its number, or a statement. */
function IndexLine({ number, title, isChosen, onShow, children }: IndexLineProps) {
  return (
    <Box
      component="button"
      disabled={!onShow}
      aria-current={isChosen || undefined}
      onClick={onShow}
      sx={{
        all: "unset",
        boxSizing: "border-box",
        display: "flex",
        gap: 1,
        alignItems: "center",
        width: "calc(100% + 12px)",
        mx: -0.75,
        px: 0.75,
        minHeight: 24,
        borderRadius: 0.75,
        fontSize: "size.cell",
        cursor: onShow ? "pointer" : "default",
        color: isChosen ? "text.primary" : "text.secondary",
        fontWeight: isChosen ? 550 : 400,
        bgcolor: isChosen ? "brook.pale" : "transparent",
        "&:focus-visible": { outline: 2, outlineColor: "primary.main" },
      }}
    >
      <Box component="span" sx={{ width: 18, flex: "none", textAlign: "right", color: "brook.muted" }}>
        {number}
      </Box>
      <span>{title}</span>
      <Box component="span" sx={{ ml: "auto", fontSize: "size.note", color: "brook.muted", whiteSpace: "nowrap" }}>
        {children}
      </Box>
    </Box>
  );
}

function Progress({ theCase, run }: { theCase: Case; run: Run }) {
  const cancel = useCancelRun(theCase.id);
  return (
    <Box role="status" sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1.5 }}>
      <LinearProgress
        variant={run.laid_out ? "determinate" : "indeterminate"}
        value={run.needed ? (100 * run.done) / run.needed : 100}
        sx={{ width: 180 }}
        aria-label="Fits done"
      />
      <Typography variant="body2">
        {run.laid_out ? `${run.done} of ${plural(run.needed, "fit")}` : "Laying out the fits"}
        {run.failed ? `, ${run.failed} failed` : ""}; {run.exhibits.length} of {plural(run.checks.length, "exhibit")}
        {run.seconds_left ? `; about ${seconds(run.seconds_left)} left` : ""}
        {run.beside > 0 && `; ${plural(run.beside, "other run")} beside it`}
      </Typography>
      {theCase.may.review && (
        <Button disabled={cancel.isPending} onClick={() => cancel.mutate()}>
          Cancel the run
        </Button>
      )}
      <Said error={cancel.error} />
    </Box>
  );
}

/** Exhibits that are of another plan than the present one, and how to have them made anew. */
function StaleNote({ theCase, run }: { theCase: Case; run: Run }) {
  const stale = run.exhibits.filter((e) => e.state === "stale").length;
  if (stale === 0) return null;
  return (
    <Typography sx={{ mb: 1, color: "brook.ochre" }}>
      {stale === 1 ? "1 exhibit is" : `${stale} exhibits are`} of an earlier plan, data or program, and marked stale.{" "}
      {theCase.may.review && <Link to={`/cases/${theCase.id}/plan`}>Run what changed.</Link>}
    </Typography>
  );
}

function NothingRun({ theCase }: { theCase: Case }) {
  return (
    <Box sx={{ maxWidth: 560 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Nothing has been run
      </Typography>
      <Typography sx={{ color: "text.secondary" }}>
        Here will be an exhibit for each check of the plan: its answer, its picture, its numbers, and how they were got.{" "}
        {theCase.may.review ? (
          <Link to={`/cases/${theCase.id}/plan`}>Lock the plan and run it.</Link>
        ) : (
          "The reviewer locks the plan and runs it."
        )}
      </Typography>
    </Box>
  );
}
