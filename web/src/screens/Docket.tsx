/** The docket: a row a case, and in a sentence what waits for me. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { CaseLine, Schemas } from "../api/client";
import { useInbox } from "../api/inbox";
import { useDocket, useMe, useTake, type DocketQuery } from "../api/queries";
import { useKeys } from "../frame/keys";
import { SmallCourse } from "../marks/Course";
import { GaugeMark } from "../marks/GaugeMark";
import { Tally } from "../marks/Tally";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Pager } from "../parts/Pager";
import { Fetching, Said } from "../parts/Said";
import { SERIF } from "../theme";
import { day, outcome, questions } from "../wording";
import { Narrowing, NARROWING, SortHead, useDocketQuery } from "./docket/narrowing";
import { Waiting } from "./docket/Waiting";

const STATES = ["waiting", "in_review", "proposed", "decided", "withdrawn"] as const;
const STEP_PATHS = ["brief", "data", "plan", "evidence", "evidence", "decision", "report"];
const PAGE = 50;

export function Docket() {
  const { query, put } = useDocketQuery();
  const docket = useDocket(query);
  const inbox = useInbox(1);
  const me = useMe();
  const take = useTake();
  const go = useNavigate();
  const [focus, setFocus] = useState(0);
  const cases = docket.data?.cases ?? [];
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
  const { counts } = docket.data;
  const every = Object.values(counts).reduce((sum, one) => sum + one, 0);
  const narrowed = NARROWING.some((name) => query[name] !== undefined);
  const sorted = (by: NonNullable<DocketQuery["sort"]>, words: string) => ({
    head: <SortHead words={words} by={by} query={query} onSort={put} />,
    sorted: query.sort !== by ? undefined : query.falling ? ("descending" as const) : ("ascending" as const),
  });
  return (
    <Main>
      {inbox.data && <Waiting inbox={inbox.data} />}
      <Erasures told={inbox.data?.erasures ?? []} />
      <Box
        sx={{ display: "flex", gap: 2, fontSize: "size.small", mb: 0.5, color: "text.secondary", alignItems: "center" }}
      >
        <Filter on={!query.state} words={`All ${every}`} onClick={() => put({ state: undefined })} />
        {STATES.filter((state) => state !== "withdrawn" || counts[state] || query.state === state).map((state) => (
          <Filter
            key={state}
            on={query.state === state}
            words={`${state === "in_review" ? "In review" : state[0]?.toUpperCase() + state.slice(1)} ${counts[state] ?? 0}`}
            onClick={() => put({ state })}
          />
        ))}
        {me.data?.reads_all && <Link to="/holding">Who holds what</Link>}
        <Box sx={{ ml: "auto" }}>
          seven questions:{" "}
          {questions()
            .map((one) => one.short)
            .join(" · ")}
        </Box>
      </Box>
      <Narrowing query={query} onPut={put} />
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
            ...sorted("model", "model"),
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
          { ...sorted("tier", "outcome, tier"), cell: (c) => `${outcome(c.outcome)}, ${c.tier}` },
          { ...sorted("owner", "owner"), cell: (c) => c.owner },
          {
            ...sorted("reviewer", "reviewer"),
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
            ...sorted("due", "due"),
            sx: { whiteSpace: "nowrap" },
            cell: (c) => <Due line={c} />,
          },
          { head: "course", cell: (c) => <SmallCourse step={c.step} /> },
          {
            head: <QuestionHeads />,
            cell: (c) => <Marks line={c} />,
          },
          { ...sorted("findings", "findings"), cell: (c) => <Findings line={c} /> },
          { ...sorted("state", "where it stands"), cell: (c) => c.stands },
        ]}
      />
      <Pager
        page={query.page ?? 1}
        total={docket.data.total}
        size={PAGE}
        words={["Before", "After"]}
        onTurn={(page) => put({ page })}
      />
      {cases.length === 0 && (
        <Typography sx={{ color: "text.secondary", mt: 3 }}>
          {narrowed || query.state
            ? "No case is like that."
            : me.data?.roles.includes("owner")
              ? "Models you submit will be listed here. Submit one with the link above."
              : me.data && !me.data.reads_all
                ? "Administrators see no case's contents."
                : "Submitted models will be listed here. An owner submits them."}
        </Typography>
      )}
    </Main>
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

/** The day, without its year; in ochre once it has passed and nobody has decided. The priority, where it is not usual. */
function Due({ line }: { line: CaseLine }) {
  const over = line.due && new Date(line.due) < new Date(new Date().toDateString());
  const late = over && line.state !== "decided" && line.state !== "withdrawn";
  return (
    <>
      {line.due && (
        <Box
          component="span"
          title={late ? "overdue" : undefined}
          sx={late ? { color: "brook.ochre", fontWeight: 550 } : {}}
        >
          {day(line.due).replace(/ \d{4}$/, "")}
          {late && ", overdue"}
        </Box>
      )}
      {line.priority !== "normal" && (
        <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>{line.priority} priority</Box>
      )}
    </>
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
