/** A handle on the threshold that moves the confusion matrix, the rates and the group rates at once, from the exhibit's series alone. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Exhibit, Schemas } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { InlineNumber } from "../parts/Inline";
import { count, number } from "../wording";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { CurveKey } from "./CurveKey";
import { besideSubmitted } from "./groups/thresholds";
import { Matrix } from "./Matrix";

const Curves = lazy(() => import("./Curves"));

interface Counts {
  tp: number;
  fp: number;
  fn: number;
  tn: number;
}

type Columns = Record<string, (number | null)[]>;

interface ThresholdExplorerProps {
  chart: Schemas["ThresholdChart"];
  series: Exhibit["series"];
  asTable: boolean;
  onFind: ((chosen: { threshold: number; missCost: number | null }) => void) | undefined;
}

export function ThresholdExplorer({ chart, series, asTable, onFind }: ThresholdExplorerProps) {
  const all: Columns = useMemo(() => series?.[chart.series] ?? {}, [series, chart]);
  const thresholds = useMemo(() => (all.threshold ?? []).map((t) => t ?? 0), [all]);
  const { submitted } = chart;
  const [threshold, setThreshold] = useState(submitted ?? thresholds[Math.floor(thresholds.length / 2)] ?? 0);
  const [missCost, setMissCost] = useState(1);
  const place = nearest(thresholds, threshold);
  const cheapest = useMemo(
    () => leastCost(all, thresholds, missCost, submitted),
    [all, thresholds, missCost, submitted],
  );
  const curves = useMemo(
    () => [
      { label: "recall", colour: "#0072B2", points: points(all, thresholds, (c) => share(c.tp, c.tp + c.fn)) },
      { label: "precision", colour: "#D55E00", points: points(all, thresholds, (c) => share(c.tp, c.tp + c.fp)) },
      {
        label: "selected",
        colour: "#009E73",
        points: points(all, thresholds, (c) => share(c.tp + c.fp, c.tp + c.fp + c.fn + c.tn)),
      },
    ],
    [all, thresholds],
  );
  const now = countsAt(all, place);
  const top = thresholds.at(-1) ?? 1;
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      keys={curves}
      caption={<CurveKey title={chart.title} curves={curves} />}
      numbers={numbersOf(all, thresholds, missCost)}
    >
      <Suspense fallback={<Box sx={{ height: 230 }} />}>
        <Curves
          title={chart.title}
          x="threshold"
          y="share"
          curves={curves}
          at={threshold}
          width={680}
          height={230}
          xMax={top}
        />
      </Suspense>
      <Box sx={{ width: 680, pl: "52px", pr: "18px", mt: -1 }}>
        <Slider
          aria-label="Threshold"
          size="small"
          min={thresholds[0] ?? 0}
          max={top}
          step={0.005}
          value={threshold}
          onChange={(_, value) => setThreshold(value as number)}
        />
      </Box>
      <Box aria-live="polite" sx={{ fontSize: "size.text", mb: 1 }}>
        At <b>{number(threshold)}</b>
        {besideSubmitted(threshold, submitted, chart.whose)}: recall {rate(now.tp, now.tp + now.fn)}, precision{" "}
        {rate(now.tp, now.tp + now.fp)}, selected {rate(now.tp + now.fp, total(now))} of {figure(total(now))} rows. Read
        off the curve
        {submitted !== null && ": the estimates with their intervals are in the table below"}.
      </Box>
      <Box sx={{ fontSize: "size.text", mb: 1, display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <span>
          If a missed {chart.positive} costs{" "}
          <InlineNumber
            name="Cost of a miss, in false alarms"
            value={missCost}
            min={0.001}
            max={100_000}
            disabled={false}
            onSet={setMissCost}
          />{" "}
          times a false alarm, the cost here is {figure(costAt(all, place, missCost))} false alarms; it is least at{" "}
          <b>{number(thresholds[cheapest] ?? 0)}</b>: {figure(costAt(all, cheapest, missCost))}.
        </span>
        <Button disabled={cheapest === place} onClick={() => setThreshold(thresholds[cheapest] ?? threshold)}>
          Go there
        </Button>
        {submitted !== null && threshold !== submitted && (
          <Button onClick={() => setThreshold(submitted)}>
            Back to the {chart.whose === "plan's" ? "planned" : "submitted"}
          </Button>
        )}
        {onFind && (
          <Button
            onClick={() =>
              onFind({ threshold: thresholds[place] ?? threshold, missCost: missCost === 1 ? null : missCost })
            }
          >
            Write a finding at {number(thresholds[place] ?? threshold)}
          </Button>
        )}
      </Box>
      <Box sx={{ display: "flex", gap: 4, alignItems: "flex-start" }}>
        <Matrix
          title="Confusion matrix"
          classes={[`not ${chart.positive}`, chart.positive]}
          cells={[
            [now.tn, now.fp],
            [now.fn, now.tp],
          ]}
          rows={chart.rows ? { ...chart.rows, threshold: thresholds[place] ?? threshold } : null}
        />
        {Object.keys(chart.groups ?? {}).length > 0 && (
          <DataTable
            close
            label="Groups at the threshold"
            rows={Object.entries(chart.groups ?? {}).map(([name, label]) => ({
              name,
              label,
              ...countsAt(series?.[name] ?? {}, place),
            }))}
            keyOf={(group) => group.name}
            columns={[
              { head: "group", cell: (group) => group.label },
              { head: "n", right: true, cell: (group) => figure(total(group)) },
              { head: "selected", right: true, cell: (group) => rate(group.tp + group.fp, total(group)) },
              { head: "TPR", right: true, cell: (group) => rate(group.tp, group.tp + group.fn) },
              { head: "FPR", right: true, cell: (group) => rate(group.fp, group.fp + group.tn) },
            ]}
            sx={{ flex: 1 }}
          />
        )}
      </Box>
    </ChartFigure>
  );
}

function countsAt(columns: Columns, place: number): Counts {
  const at = (name: string) => columns[name]?.[place] ?? 0;
  return { tp: at("tp"), fp: at("fp"), fn: at("fn"), tn: at("tn") };
}

function points(columns: Columns, thresholds: number[], value: (c: Counts) => number | null): [number, number][] {
  return thresholds.flatMap((t, i): [number, number][] => {
    const y = value(countsAt(columns, i));
    return y === null ? [] : [[t, y]];
  });
}

/** The counts and rates at every threshold. */
function numbersOf(all: Columns, thresholds: number[], missCost: number): ChartNumbers {
  const rows = thresholds.map((t, i) => {
    const c = countsAt(all, i);
    return [
      t,
      c.tp,
      c.fp,
      c.fn,
      c.tn,
      share(c.tp, c.tp + c.fn),
      share(c.tp, c.tp + c.fp),
      share(c.tp + c.fp, total(c)),
      costAt(all, i, missCost),
    ];
  });
  return {
    columns: [
      "threshold",
      "tp",
      "fp",
      "fn",
      "tn",
      "recall",
      "precision",
      "selected",
      `cost, a miss ${missCost} false alarms`,
    ],
    rows,
  };
}

/** In false alarms: every wrongly chosen row costs 1, every missed one so many times as much. */
export function costAt(all: Columns, place: number, missCost: number): number {
  const { fp, fn } = countsAt(all, place);
  return fp + missCost * fn;
}

/** The place of the least cost; of equals the one nearest to the submitted threshold. */
export function leastCost(all: Columns, thresholds: number[], missCost: number, submitted: number | null): number {
  const away = (i: number) => (submitted === null ? 0 : Math.abs((thresholds[i] ?? 0) - submitted));
  let best = 0;
  for (let i = 1; i < thresholds.length; i++) {
    const [here, least] = [costAt(all, i, missCost), costAt(all, best, missCost)];
    if (here < least || (here === least && away(i) < away(best))) best = i;
  }
  return best;
}

function nearest(sorted: number[], wanted: number): number {
  let best = 0;
  for (let i = 1; i < sorted.length; i++)
    if (Math.abs((sorted[i] ?? 0) - wanted) < Math.abs((sorted[best] ?? 0) - wanted)) best = i;
  return best;
}

const total = (c: Counts) => c.tp + c.fp + c.fn + c.tn;
const share = (x: number, n: number) => (n > 0 ? x / n : null);
const figure = (n: number) => (Number.isInteger(n) ? count(n) : number(n, 1));
const rate = (x: number, n: number) => number(share(x, n));
