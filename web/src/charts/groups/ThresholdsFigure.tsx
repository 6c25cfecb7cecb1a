/** Criteria along the threshold, a line a group; a threshold of its own for each group can be tried, as an exploration. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Exhibit, Schemas } from "../../api/client";
import { InlineChoice } from "../../parts/Inline";
import { count, number } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { CurveKey } from "../CurveKey";
import { colourOf } from "../palette";
import { gridOf, keeps, nearest, rateAt, RATES, type Columns, type Rate } from "./thresholds";

const Curves = lazy(() => import("../Curves"));

interface ThresholdsFigureProps {
  chart: Schemas["GroupThresholds"];
  series: Exhibit["series"];
  asTable: boolean;
}

export function ThresholdsFigure({ chart, series, asTable }: ThresholdsFigureProps) {
  const names = useMemo(() => Object.keys(chart.groups), [chart]);
  const grid = useMemo(() => gridOf(series, chart.reference), [series, chart]);
  const [rate, setRate] = useState<Rate>("selected");
  const [common, setCommon] = useState(chart.submitted);
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
              {common === chart.submitted ? " (as submitted)" : ` (submitted: ${number(chart.submitted)})`} for all
              groups; read off the curve, the intervals at the submitted one are in the table below.
            </span>
            {common !== chart.submitted && (
              <Button onClick={() => setCommon(chart.submitted)}>Back to the submitted</Button>
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

interface RatesProps {
  chart: Schemas["GroupThresholds"];
  series: Exhibit["series"];
  at: (name: string) => number;
}

/** What every group gets there, against the reference; by value alone, as no interval is computed while the handle moves. */
function Rates({ chart, series, at }: RatesProps) {
  const columns = (name: string): Columns => series?.[name] ?? {};
  const of = (name: string, rate: Rate) => rateAt(columns(name), at(name), rate);
  const n = (name: string) => ["tp", "fp", "fn", "tn"].reduce((sum, cell) => sum + (columns(name)[cell]?.[0] ?? 0), 0);
  return (
    <Box
      component="table"
      aria-label="At the threshold"
      sx={{
        borderCollapse: "collapse",
        fontSize: "size.cell",
        my: 1,
        "& td, & th": { borderBottom: 1, borderColor: "divider", py: 0.4, pr: 2, textAlign: "right", fontWeight: 400 },
        "& td:first-of-type, & th:first-of-type": { textAlign: "left" },
      }}
    >
      <thead>
        <tr>
          <th>group</th>
          <th>n</th>
          <th>selected</th>
          <th>ratio</th>
          <th>TPR</th>
          <th>difference</th>
          <th>FPR</th>
          <th>difference</th>
          <th>PPV</th>
        </tr>
      </thead>
      <tbody>
        {Object.entries(chart.groups).map(([name, label]) => {
          const against = (rate: Rate) => {
            const [a, b] = [of(name, rate), of(chart.reference, rate)];
            return a === null || b === null ? null : a - b;
          };
          const [ours, theirs] = [of(name, "selected"), of(chart.reference, "selected")];
          const ratio = ours === null || !theirs ? null : ours / theirs;
          const isReference = name === chart.reference;
          return (
            <tr key={name}>
              <td>
                {label}
                {isReference ? " (reference)" : ""}
              </td>
              <td>{count(Math.round(n(name)))}</td>
              <td>{number(ours)}</td>
              <Kept kept={isReference ? null : keeps(chart.ratio, ratio)}>{isReference ? "–" : number(ratio, 2)}</Kept>
              <td>{number(of(name, "tpr"))}</td>
              <Kept kept={isReference ? null : keeps(chart.difference, against("tpr"))}>
                {isReference ? "–" : number(against("tpr"))}
              </Kept>
              <td>{number(of(name, "fpr"))}</td>
              <Kept kept={isReference ? null : keeps(chart.difference, against("fpr"))}>
                {isReference ? "–" : number(against("fpr"))}
              </Kept>
              <td>{number(of(name, "ppv"))}</td>
            </tr>
          );
        })}
      </tbody>
    </Box>
  );
}

/** A comparison, said to be beyond its limit where its value is. */
function Kept({ kept, children }: { kept: boolean | null; children: React.ReactNode }) {
  return (
    <Box component="td" sx={{ color: kept === false ? "brook.brick" : "inherit" }}>
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
