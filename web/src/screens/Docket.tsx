/** The docket: a row a case, and in a sentence what waits for me. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { CaseLine, Schemas } from "../api/client";
import { useDocket, useMe, useTake } from "../api/queries";
import { useKeys } from "../frame/keys";
import { SmallCourse } from "../marks/Course";
import { GaugeMark } from "../marks/GaugeMark";
import { Tally } from "../marks/Tally";
import { DataTable } from "../parts/DataTable";
import { Fetching, Said } from "../parts/Said";
import { SERIF } from "../theme";
import { day, outcome, plural, questions } from "../wording";

const STATES = ["waiting", "in_review", "proposed", "decided"] as const;
const STEP_PATHS = ["brief", "data", "plan", "evidence", "evidence", "decision", "report"];

export function Docket() {
  const docket = useDocket();
  const me = useMe();
  const take = useTake();
  const go = useNavigate();
  const [search, setSearch] = useSearchParams();
  const [focus, setFocus] = useState(0);
  const wanted = search.get("state");
  const cases = (docket.data?.cases ?? []).filter((c) => !wanted || c.state === wanted);
  const open = (c: CaseLine | undefined) => c && void go(addressOf(c));
  useKeys([
    { keys: "ArrowDown", does: "next case", act: () => setFocus(Math.min(focus + 1, cases.length - 1)) },
    { keys: "ArrowUp", does: "previous case", act: () => setFocus(Math.max(focus - 1, 0)) },
    { keys: "Enter", does: "open the case", act: () => open(cases[focus]) },
  ]);
  if (docket.isPending) return <Fetching what="the docket" />;
  if (!docket.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={docket.error} />
      </Box>
    );
  const all = docket.data.cases;
  return (
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Typography
        component="h1"
        sx={{ fontFamily: SERIF, fontSize: "size.title", fontWeight: 470, lineHeight: 1.35, maxWidth: 860, mb: 2 }}
      >
        <Waiting
          lines={all.filter((c) => docket.data.waits.includes(c.id))}
          more={docket.data.questions.length + docket.data.findings.length + docket.data.conditions.length > 0}
        />
      </Typography>
      <QuestionsWaiting waiting={docket.data.questions} />
      <FindingsWaiting waiting={docket.data.findings} />
      <ConditionsWaiting waiting={docket.data.conditions} />
      <ApprovalsEnding told={docket.data.approvals} />
      <Erasures told={docket.data.erasures} />
      <Box
        sx={{ display: "flex", gap: 2, fontSize: "size.small", mb: 1, color: "text.secondary", alignItems: "center" }}
      >
        <Filter on={!wanted} words={`All ${all.length}`} onClick={() => setSearch({})} />
        {STATES.map((state) => (
          <Filter
            key={state}
            on={wanted === state}
            words={`${state === "in_review" ? "In review" : state[0]?.toUpperCase() + state.slice(1)} ${all.filter((c) => c.state === state).length}`}
            onClick={() => setSearch({ state })}
          />
        ))}
        <Box sx={{ ml: "auto" }}>
          seven questions:{" "}
          {questions()
            .map((one) => one.short)
            .join(" · ")}
        </Box>
      </Box>
      <Said error={take.error} />
      <DataTable
        wide
        label="Cases"
        rows={cases}
        keyOf={(c) => c.id}
        row={(c, i) => ({
          hover: true,
          selected: i === focus,
          sx: { cursor: "pointer", height: 50 },
          onClick: () => open(c),
        })}
        columns={[
          {
            head: "model",
            cell: (c) => (
              <Link to={addressOf(c)} style={{ textDecoration: "none" }} onClick={(event) => event.stopPropagation()}>
                <Box component="span" sx={{ fontFamily: SERIF, fontSize: "size.lead", fontWeight: 560 }}>
                  {c.model}
                </Box>{" "}
                <Box component="span" sx={{ fontSize: "size.small", color: "text.secondary" }}>
                  {c.version}
                  {c.review > 1 && `, review ${c.review}`}
                </Box>
              </Link>
            ),
          },
          { head: "outcome, tier", cell: (c) => `${outcome(c.outcome)}, ${c.tier}` },
          { head: "owner", cell: (c) => c.owner },
          {
            head: "reviewer",
            cell: (c) => {
              if (c.reviewer) return c.reviewer;
              if (!c.may_take) return "nobody yet";
              return (
                <Button
                  disabled={take.isPending}
                  sx={{ minWidth: 0, ml: "-5px" }}
                  onClick={(event) => {
                    event.stopPropagation();
                    take.mutate(c.id);
                  }}
                >
                  Take it
                </Button>
              );
            },
          },
          {
            head: "due",
            sx: { whiteSpace: "nowrap" },
            cell: (c) => (c.due ? day(c.due).replace(/ \d{4}$/, "") : ""),
          },
          { head: "course", cell: (c) => <SmallCourse step={c.step} /> },
          {
            head: <QuestionHeads />,
            cell: (c) => <Marks line={c} />,
          },
          { head: "findings", cell: (c) => <Findings line={c} /> },
          { head: "where it stands", cell: (c) => c.stands },
        ]}
      />
      {cases.length === 0 && (
        <Typography sx={{ color: "text.secondary", mt: 3 }}>
          {wanted
            ? "No case stands there."
            : me.data?.roles.includes("owner")
              ? "Models you submit will be listed here. Submit one with the link above."
              : me.data && !me.data.reads_all
                ? "Administrators see no case's contents."
                : "Submitted models will be listed here. An owner submits them."}
        </Typography>
      )}
    </Box>
  );
}

/** The questions that wait for the owner's answer, or the answers that wait for who asked. */
function QuestionsWaiting({ waiting }: { waiting: readonly Schemas["WaitingQuestions"][] }) {
  if (waiting.length === 0) return null;
  return (
    <Box component="ul" aria-label="Questions that wait for you" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
      {waiting.map((one) => (
        <li key={`${one.case_id} ${one.act}`}>
          <Link to={`/cases/${one.case_id}/brief#questions`}>
            {plural(one.count, one.act === "answer" ? "question" : "answer")} about {one.model} {one.version}
          </Link>{" "}
          {one.count === 1 ? "waits" : "wait"} {one.act === "answer" ? "for your answer" : "to be read by you"}
          {one.due && one.act === "answer" && `, ${one.count === 1 ? "due" : "the first due"} on ${day(one.due)}`}.
        </li>
      ))}
    </Box>
  );
}

/** The findings that wait for the person's own answer, or for their judgement of an answer. */
function FindingsWaiting({ waiting }: { waiting: readonly Schemas["WaitingFindings"][] }) {
  if (waiting.length === 0) return null;
  return (
    <Box component="ul" aria-label="Findings that wait for you" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
      {waiting.map((one) => (
        <li key={`${one.case_id} ${one.act}`}>
          <Link to={`/cases/${one.case_id}/findings`}>
            {plural(one.count, "finding")} of {one.model} {one.version}
          </Link>{" "}
          {one.count === 1 ? "waits" : "wait"}{" "}
          {one.act === "answer" ? "for your answer" : "to be judged: the owner has answered"}.
        </li>
      ))}
    </Box>
  );
}

const CONDITION_WAITS = {
  send: "for your evidence",
  meet: "to be judged: the owner has sent evidence",
  see: "to be seen by you: the reviewer judged it met",
} as const;

/** The conditions of approvals about which this person is the next to do something. */
function ConditionsWaiting({ waiting }: { waiting: readonly Schemas["WaitingConditions"][] }) {
  if (waiting.length === 0) return null;
  return (
    <Box component="ul" aria-label="Conditions that wait for you" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
      {waiting.map((one) => (
        <li key={`${one.case_id} ${one.act}`}>
          <Link to={`/cases/${one.case_id}/decision`}>
            {plural(one.count, "condition")} of {one.model} {one.version}
          </Link>{" "}
          {one.count === 1 ? "waits" : "wait"} {CONDITION_WAITS[one.act as keyof typeof CONDITION_WAITS]}
          {one.act === "send" && `, ${one.count === 1 ? "due" : "the first due"} on ${day(one.due)}`}.
        </li>
      ))}
    </Box>
  );
}

/** Approvals that have lapsed or are about to, for their owner and their reviewer. */
function ApprovalsEnding({ told }: { told: readonly Schemas["EndingApproval"][] }) {
  if (told.length === 0) return null;
  return (
    <Box component="ul" aria-label="Approvals that end" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
      {told.map((one) => (
        <li key={one.case_id}>
          <Link to={`/models/${one.model_key}`}>
            The approval of {one.model} {one.version}
          </Link>{" "}
          {one.standing === "lapsed"
            ? `has lapsed: ${one.why}`
            : one.standing === "conditional"
              ? `is conditional: ${one.why}`
              : `ends on ${day(one.until)}`}
          .
        </li>
      ))}
    </Box>
  );
}

/** What an auditor is told of rows that go, or went in the last thirty days. */
function Erasures({ told }: { told: Schemas["ErasureNotice"][] }) {
  if (told.length === 0) return null;
  return (
    <Box component="ul" aria-label="Rows taken away" sx={{ mt: 0, mb: 2, pl: 2.5, maxWidth: 860 }}>
      {told.map((one) => (
        <li key={one.case_id}>
          <Link to="/retention">
            The rows of {one.model} {one.version}
          </Link>{" "}
          {one.state === "proposed"
            ? `are proposed to be taken away, by ${one.proposed_by} on ${day(one.proposed)}`
            : `were taken away on ${day(one.answered)}, by ${one.proposed_by} and ${one.answered_by}`}
          : {one.reason}
        </li>
      ))}
    </Box>
  );
}

function Findings({ line }: { line: CaseLine }) {
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
      {line.findings.length === 0 && (
        <Box component="span" sx={{ color: "brook.muted" }}>
          none
        </Box>
      )}
      {line.findings.map((f) => (
        <Fragment key={f.severity}>
          <Tally severity={f.severity} />
          {f.count}
        </Fragment>
      ))}
    </Box>
  );
}

function addressOf(c: CaseLine): string {
  return `/cases/${c.id}/${c.state === "waiting" ? "brief" : STEP_PATHS[c.step]}`;
}

/** The numbers of the seven questions, over their marks. */
export function QuestionHeads() {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "repeat(7, 27px)", textAlign: "center" }}>
      {questions().map((one) => (
        <span key={one.number} title={one.question}>
          {one.number}
        </span>
      ))}
    </Box>
  );
}

export function Marks({ line }: { line: Pick<CaseLine, "marks"> }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "repeat(7, 27px)", justifyItems: "center" }}>
      {questions().map(({ number, question }) => {
        const mark = line.marks.find((m) => m.question === number);
        return mark ? <GaugeMark key={question} standing={mark.standing} label={question} /> : <span key={question} />;
      })}
    </Box>
  );
}

function Filter({ on, words, onClick }: { on: boolean; words: string; onClick: () => void }) {
  return (
    <Button
      color="inherit"
      aria-pressed={on}
      onClick={onClick}
      sx={{
        fontSize: "size.small",
        minWidth: 0,
        px: 0.5,
        fontWeight: on ? 600 : 400,
        color: on ? "text.primary" : "text.secondary",
      }}
    >
      {words}
    </Button>
  );
}

const WHY: Record<string, string> = {
  waiting: "waits for a reviewer",
  "in review": "is with you",
  "runs finished": "has finished its runs",
  running: "is running",
  "run cancelled": "had its run cancelled",
  "sent back": "was sent back to you",
};

/** `more` says that below it findings or conditions wait. */
function Waiting({ lines, more }: { lines: CaseLine[]; more: boolean }) {
  if (lines.length === 0) return <>{more ? "No case waits for you, but this does." : "Nothing waits for you."}</>;
  return (
    <>
      {lines.length === 1
        ? "One case waits for you: "
        : `${["", "", "Two", "Three", "Four", "Five"][lines.length] ?? lines.length} cases wait for you: `}
      {lines.slice(0, 3).map((c, i) => (
        <Fragment key={c.id}>
          {i > 0 && (i === Math.min(lines.length, 3) - 1 ? " and " : ", ")}
          <Box
            component={Link}
            to={addressOf(c)}
            sx={{ color: "primary.main", textDecorationThickness: 1, textUnderlineOffset: 4 }}
          >
            {c.model} {c.version}
          </Box>{" "}
          {WHY[c.stands] ?? (c.state === "proposed" ? "awaits a countersignature" : "is with you")}
        </Fragment>
      ))}
      {lines.length > 3 ? `, and ${lines.length - 3} more.` : "."}
    </>
  );
}
