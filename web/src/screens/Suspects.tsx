/** Rows whose labels the others contradict: marked one by one by key, or all of a pair of classes at once. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { Link } from "react-router";
import type { Exhibit, Schemas } from "../api/client";
import { useMarkLabels, useSuspects } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";
import { DataTable, type TableColumn } from "../parts/DataTable";
import { InlineChoice } from "../parts/Inline";
import { Kbd } from "../parts/Kbd";
import { Fetching, Said } from "../parts/Said";
import { useUndo } from "../parts/undo";
import { count, number, plural } from "../wording";
import {
  leftOf,
  marked,
  pairOf,
  pairsOf,
  suspectsOf,
  tally,
  undoing,
  type Mark,
  type Suspect,
  type Verdict,
} from "./suspects";

const ACTS: Record<string, Verdict> = { k: "kept", x: "wrong", c: "corrected" };

/** Stands for the rows drawn at random where a pair of classes can be chosen. */
const DRAWN = "drawn at random";

interface SuspectsProps {
  chart: Schemas["SuspectList"];
  series: Exhibit["series"];
}

export function Suspects({ chart, series }: SuspectsProps) {
  const { theCase } = useTheCase();
  const found = useSuspects(theCase.id);
  const mark = useMarkLabels(theCase.id);
  const [pair, setPair] = useState("");
  const { change, undo, canUndo } = useUndo<Schemas["MarksBody"]>((body) => mark.mutate(body));
  if (found.isPending) return <Fetching what="the suspects" />;
  if (!found.data) return <Said error={found.error} />;
  const { marks, columns } = found.data;
  const all = suspectsOf(chart.classes ?? [], series?.[chart.series] ?? {}, found.data.rows);
  const drawn = chart.sample ? suspectsOf(chart.classes ?? [], series?.[chart.sample] ?? {}, found.data.sample) : [];
  const shown = pair === DRAWN ? drawn : pair ? all.filter((one) => pairOf(one) === pair) : all;
  const put = (suspects: readonly Suspect[], verdict: Verdict | null) => {
    const rows = suspects.map((one) => one.row);
    if (rows.length)
      change(
        undoing(rows, marks),
        verdict === null ? { cleared: rows } : { marks: suspects.map((one) => marked(one, verdict)) },
      );
  };
  if (all.length + drawn.length === 0) return null;
  return (
    <Box component="section" aria-label="Suspects" sx={{ mb: 2 }}>
      <Typography sx={{ fontSize: "size.small", color: "text.secondary" }}>{chart.title}</Typography>
      <Box sx={{ fontSize: "size.text", lineHeight: 1.9 }}>
        Show{" "}
        <InlineChoice
          name="Pair of classes"
          value={pair}
          disabled={false}
          onSet={setPair}
          options={[
            [
              "",
              all.length < chart.found ? `${count(all.length)} of ${count(chart.found)}` : `all ${count(all.length)}`,
            ] as const,
            ...(drawn.length ? [[DRAWN, `${drawn.length} drawn at random`] as const] : []),
            ...((chart.classes ?? []).length ? pairsOf(all).map(([one, n]) => [one, `${one} (${n})`] as const) : []),
          ]}
        />
        {pair === DRAWN
          ? `, suspects and others mixed: once all are marked, the share of wrong labels follows (${leftOf(drawn, marks)} left). `
          : ", the strongest first. "}
        {theCase.may.review && (
          <>
            Mark with <Kbd>k</Kbd> kept, <Kbd>x</Kbd> wrong, <Kbd>c</Kbd> corrected as suggested; Delete takes a mark
            away.
          </>
        )}
      </Box>
      {theCase.may.review && (
        <Box sx={{ display: "flex", gap: 0.5, alignItems: "center", flexWrap: "wrap", fontSize: "size.text" }}>
          All {count(shown.length)} shown:
          <Button onClick={() => put(shown, "kept")}>kept</Button>
          <Button onClick={() => put(shown, "wrong")}>wrong</Button>
          <Button onClick={() => put(shown, "corrected")}>corrected</Button>
          <Button onClick={() => put(shown, null)}>no mark</Button>
          <Button disabled={!canUndo} onClick={undo}>
            Undo
          </Button>
        </Box>
      )}
      <Said error={mark.error} />
      <List
        suspects={shown}
        columns={columns}
        marks={marks}
        mayMark={theCase.may.review}
        isNumber={(chart.classes ?? []).length === 0}
        onMark={(one, verdict) => put([one], verdict)}
        onUndo={undo}
      />
      <Box sx={{ fontSize: "size.cell", mt: 0.5, display: "flex", gap: 2, flexWrap: "wrap" }}>
        <span aria-live="polite">
          {marks.length ? `${plural(marks.length, "label")} marked: ${tally(marks)}.` : "No label is marked."}
          {mark.isPending && " Saving …"}{" "}
          {marks.length > 0 && theCase.may.review && (
            <Link to={`/cases/${theCase.id}/plan`}>
              See what learning from the labels as marked changes: run what changed.
            </Link>
          )}
        </span>
        <span>
          Save the list: <a href={`/api/cases/${theCase.id}/suspects/csv`}>CSV</a>,{" "}
          <a href={`/api/cases/${theCase.id}/suspects/parquet`}>Parquet</a>
        </span>
      </Box>
    </Box>
  );
}

interface ListProps {
  suspects: readonly Suspect[];
  columns: readonly string[];
  marks: readonly Mark[];
  mayMark: boolean;
  isNumber: boolean;
  onMark: (one: Suspect, verdict: Verdict | null) => void;
  onUndo: () => void;
}

function List({ suspects, columns, marks, mayMark, isNumber, onMark, onUndo }: ListProps) {
  const [at, setAt] = useState(0);
  const chosen = Math.min(at, suspects.length - 1);
  const body = useRef<HTMLTableSectionElement>(null);
  const moved = useRef(false);
  useEffect(() => {
    if (!moved.current) return;
    moved.current = false;
    const row = body.current?.children[chosen];
    if (row instanceof HTMLElement) row.focus();
  });
  const goTo = (place: number) => {
    moved.current = true;
    setAt(Math.min(Math.max(place, 0), suspects.length - 1));
  };
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const one = suspects[chosen];
    const steps: Record<string, number> = {
      ArrowDown: chosen + 1,
      ArrowUp: chosen - 1,
      Home: 0,
      End: suspects.length - 1,
      PageDown: chosen + 10,
      PageUp: chosen - 10,
    };
    const step = steps[event.key];
    const verdict = ACTS[event.key];
    if (step !== undefined) goTo(step);
    else if (mayMark && one && verdict) {
      onMark(one, verdict);
      goTo(chosen + 1);
    } else if (mayMark && one && (event.key === "Delete" || event.key === "Backspace")) onMark(one, null);
    else if (mayMark && event.key === "u") onUndo();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const said = new Map(marks.map((mark) => [mark.row, mark]));
  return (
    <Box sx={{ maxHeight: 400, overflow: "auto", border: 1, borderColor: "divider", mt: 0.5 }}>
      <DataTable
        close
        staying
        role="grid"
        label="Suspect labels"
        rows={suspects}
        keyOf={(one) => one.row}
        body={body}
        onKeyDown={press}
        row={(_, i) => ({
          tabIndex: i === chosen ? 0 : -1,
          "aria-selected": i === chosen,
          onFocus: () => setAt(i),
          onClick: () => goTo(i),
          sx: {
            height: 26,
            bgcolor: i === chosen ? "brook.pale" : "transparent",
            "&:focus-visible": { outline: 2, outlineColor: "primary.main", outlineOffset: -2 },
          },
        })}
        columns={[
          { head: "row", cell: (one) => count(one.place) },
          {
            head: "label",
            cell: (one) => one.label,
            sx: (one) => ({ textDecoration: struck(said.get(one.row)) ? "line-through" : "none" }),
          },
          { head: isNumber ? "expected" : "suggested", cell: (one) => one.suggested, sx: { fontWeight: 550 } },
          { head: isNumber ? "z" : "probability", cell: (one) => number(one.probability, isNumber ? 1 : 3) },
          {
            head: "mark",
            cell: (one) => markWords(said.get(one.row)),
            sx: (one) => markLook(said.get(one.row)),
          },
          ...columns.map((head, j): TableColumn<Suspect> => ({
            head,
            cell: (one) => one.cells[j] ?? "gap",
            sx: (one) => ({ color: one.cells[j] == null ? "text.secondary" : "inherit" }),
          })),
        ]}
        sx={{
          minWidth: "100%",
          "& td, & th": {
            px: 0.75,
            py: 0.25,
            whiteSpace: "nowrap",
            maxWidth: 180,
            overflow: "hidden",
            textOverflow: "ellipsis",
          },
        }}
      />
    </Box>
  );
}

const struck = (mark: Mark | undefined) => mark !== undefined && mark.verdict !== "kept";

function markWords(mark: Mark | undefined): string {
  if (!mark) return "–";
  return mark.verdict === "corrected" ? `now ${mark.label}` : mark.verdict;
}

function markLook(mark: Mark | undefined) {
  if (!mark) return { color: "text.secondary" };
  return { color: mark.verdict === "wrong" ? "brook.brick" : "primary.main", fontWeight: 550 };
}
