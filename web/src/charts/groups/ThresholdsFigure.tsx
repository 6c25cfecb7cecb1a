/** Criteria along the threshold, a line a group; a threshold of its own for each group can be tried, as an exploration. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Exhibit, Schemas } from "../../api/client";
import { DataTable, type TableColumn } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { count, number } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { CurveKey } from "../CurveKey";
import { colourOf } from "../palette";
import {
  besideSubmitted,
  countsAt,
  gridOf,
  keeps,
  nearest,
  othersIn,
  rateAt,
  rateOf,
  RATES,
  together,
  type Columns,
  type Rate,
} from "./thresholds";

const Curves = lazy(() => import("../Curves"));

interface ThresholdsFigureProps {
  chart: Schemas["GroupThresholds"];
  series: Exhibit["series"];
  asTable: boolean;
}

export function ThresholdsFigure({ chart, series, asTable }: ThresholdsFigureProps) {
  const names = useMemo(() => Object.keys(chart.groups), [chart]);
  const grid = useMemo(() => gridOf(series, names[0] ?? ""), [series, names]);
  const [rate, setRate] = useState<Rate>("selected");
  const { submitted } = chart;
  const [common, setCommon] = useState(submitted ?? grid[Math.floor(grid.length / 2)] ?? 0);
  /** Thresholds of single groups; empty while all share one. */
  const [own, setOwn] = useState<Record<string, number> | null>(null);
  const curves = useMemo(
    () =>
      names.map((name, i) => ({
        label: chart.groups[name] ?? name,
        colour: colourOf(`model:${i}`),
        points: grid.flatMap((t, at): [number, number][] => {
          const y = rateAt(series?.[name] ?? {}, at, rate);
          return y === null ? [] : [[t, y]];
        }),
      })),
    [names, chart, series, grid, rate],
  );
  const at = (name: string) => nearest(grid, own?.[name] ?? common);
  const [low, high] = [grid[0] ?? 0, grid.at(-1) ?? 1];
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      keys={curves}
      numbers={numbersOf(chart, series, grid)}
      caption={
        <Box component="figcaption" sx={{ fontSize: "size.text" }}>
          <InlineChoice
            name="Rate"
            value={rate}
            disabled={false}
            onSet={setRate}
            options={Object.entries(RATES) as [Rate, string][]}
          />{" "}
          along the threshold, by {chart.attribute.replaceAll("_", " ")}
          <CurveKey title="Groups" curves={curves} />
        </Box>
      }
    >
      <Suspense fallback={<Box sx={{ height: 250 }} />}>
        <Curves
          title={chart.title}
          x="threshold"
          y={RATES[rate]}
          curves={curves}
          at={own ? undefined : common}
          width={690}
          height={250}
          xMax={high}
        />
      </Suspense>
      {own ? (
        <Box
          role="group"
          aria-label="A threshold for each group"
          sx={{ border: 1, borderColor: "brook.ochre", borderRadius: 1, px: 1.5, py: 1, mb: 1, maxWidth: 690 }}
        >
          <Box sx={{ fontSize: "size.text", color: "brook.ochre", mb: 0.5 }}>
            An exploration, not a recommendation: to decide people of different groups by different thresholds may be
            unlawful.
          </Box>
          {names.map((name) => (
            <Box
              key={name}
              sx={{
                display: "grid",
                gridTemplateColumns: "150px 1fr 56px",
                gap: 1.5,
                alignItems: "center",
                fontSize: "size.cell",
              }}
            >
              <span>{chart.groups[name]}</span>
              <Slider
                aria-label={`Threshold of ${chart.groups[name]}`}
                size="small"
                min={low}
                max={high}
                step={0.005}
                value={own[name] ?? common}
                onChange={(_, value) => setOwn({ ...own, [name]: value as number })}
              />
              <b>{number(own[name] ?? common)}</b>
            </Box>
          ))}
          <Button onClick={() => setOwn(null)}>One threshold for all</Button>
        </Box>
      ) : (
        <Box sx={{ width: 690, pl: "52px", pr: "18px", mt: -1 }}>
          <Slider
            aria-label="Threshold for all groups"
            size="small"
            min={low}
            max={high}
            step={0.005}
            value={common}
            onChange={(_, value) => setCommon(value as number)}
          />
          <Box
            sx={{ fontSize: "size.text", display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}
            aria-live="polite"
          >
            <span>
              At <b>{number(common)}</b>
              {besideSubmitted(common, submitted, chart.whose)} for all groups; read off the curve
              {submitted !== null && ", the intervals at that one are in the table below"}.
            </span>
            {submitted !== null && common !== submitted && (
              <Button onClick={() => setCommon(submitted)}>
                Back to the {chart.whose === "plan's" ? "planned" : "submitted"}
              </Button>
            )}
            <Button onClick={() => setOwn(Object.fromEntries(names.map((name) => [name, common])))}>
              Try a threshold for each group
            </Button>
          </Box>
        </Box>
      )}
      <Rates chart={chart} series={series} at={at} />
    </ChartFigure>
  );
}

interface Group {
  name: string;
  label: string;
}

interface RatesProps {
  chart: Schemas["GroupThresholds"];
  series: Exhibit["series"];
  at: (name: string) => number;
}

/** What every group gets there, against the reference or everyone else; by value alone, as no interval is computed while the handle moves. */
function Rates({ chart, series, at }: RatesProps) {
  const columns = (name: string): Columns => series?.[name] ?? {};
  const of = (name: string, rate: Rate) => rateAt(columns(name), at(name), rate);
  const n = (name: string) => ["tp", "fp", "fn", "tn"].reduce((sum, cell) => sum + (columns(name)[cell]?.[0] ?? 0), 0);
  const ofOthers = (name: string, rate: Rate) =>
    rateOf(together(othersIn(chart, name).map((other) => countsAt(columns(other), at(other)))), rate);
  const against = (name: string, rate: Rate) => {
    const [ours, theirs] = [of(name, rate), ofOthers(name, rate)];
    return ours === null || theirs === null ? null : ours - theirs;
  };
  const ratio = (name: string) => {
    const [ours, theirs] = [of(name, "selected"), ofOthers(name, "selected")];
    return ours === null || !theirs ? null : ours / theirs;
  };
  const plain = (head: string, rate: Rate): TableColumn<Group> => ({
    head,
    right: true,
    cell: ({ name }) => number(of(name, rate)),
  });
  const judged = (
    head: string,
    limit: Parameters<typeof keeps>[0],
    value: (name: string) => number | null,
    places?: number,
  ): TableColumn<Group> => ({
    head,
    right: true,
    cell: ({ name }) =>
      name === chart.reference ? "–" : <Kept kept={keeps(limit, value(name))}>{number(value(name), places)}</Kept>,
  });
  return (
    <DataTable
      close
      label="At the threshold"
      rows={Object.entries(chart.groups).map(([name, label]) => ({ name, label }))}
      keyOf={(group) => group.name}
      columns={[
        {
          head: "group",
          cell: ({ name, label }) => (name === chart.reference ? `${label} (reference)` : label),
        },
        { head: "n", right: true, cell: ({ name }) => count(Math.round(n(name))) },
        plain("selected", "selected"),
        judged("ratio", chart.ratio, ratio, 2),
        plain("TPR", "tpr"),
        judged("difference", chart.difference, (name) => against(name, "tpr")),
        plain("FPR", "fpr"),
        judged("difference", chart.difference, (name) => against(name, "fpr")),
        plain("PPV", "ppv"),
      ]}
      sx={{ my: 1 }}
    />
  );
}

/** A comparison, said to be beyond its limit where its value is. */
function Kept({ kept, children }: { kept: boolean | null; children: React.ReactNode }) {
  return (
    <Box component="span" sx={{ color: kept === false ? "brook.brick" : "inherit" }}>
      {children}
      {kept === false && (
        <Box component="span" sx={{ fontSize: "size.note" }}>
          {" "}
          beyond
        </Box>
      )}
    </Box>
  );
}

function numbersOf(
  chart: Schemas["GroupThresholds"],
  series: Exhibit["series"],
  grid: readonly number[],
): ChartNumbers {
  const rows = Object.entries(chart.groups).flatMap(([name, label]) =>
    grid.map((t, at) => [
      label,
      t,
      ...(Object.keys(RATES) as Rate[]).map((rate) => rateAt(series?.[name] ?? {}, at, rate)),
    ]),
  );
  return { columns: ["group", "threshold", ...Object.values(RATES)], rows };
}
