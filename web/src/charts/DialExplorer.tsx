/** A handle over the values of a family's own dial: losses at every value, what each comes to, and the tree there. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Exhibit, Schemas } from "../api/client";
import { interval, measure } from "../wording";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { CurveKey } from "./CurveKey";
import { colourOf } from "./palette";
import { TreeFigure } from "./tree/TreeFigure";

const Curves = lazy(() => import("./Curves"));

const KEYS = [
  { label: "training", colour: colourOf("training") },
  { label: "unseen, with its interval", colour: colourOf("out_of_fold") },
];

interface DialExplorerProps {
  chart: Schemas["DialChart"];
  series: Exhibit["series"];
  asTable: boolean;
}

type Columns = Record<string, (number | null)[]>;

export function DialExplorer({ chart, series, asTable }: DialExplorerProps) {
  const columns: Columns = useMemo(() => series?.[chart.series] ?? {}, [series, chart]);
  const [place, setPlace] = useState(chart.submitted);
  const curves = useMemo(
    () => Object.fromEntries(chart.criteria.map((criterion) => [criterion, curvesOf(columns, criterion)])),
    [chart, columns],
  );
  const marks = useMemo(() => marksOf(chart), [chart]);
  const bare = useMemo(() => marks.map((mark) => ({ ...mark, label: "" })), [marks]);
  const word = (at: number) => chart.points[at] ?? "";
  const wide = chart.criteria.length === 1;
  return (
    <>
      <CurveKey title={chart.title} curves={curves[chart.criteria[0] ?? ""]?.slice(0, 2) ?? []} />
      <Box sx={{ display: "flex", columnGap: 1, flexWrap: asTable ? "wrap" : "nowrap" }}>
        {chart.criteria.map((criterion, i) => (
          <ChartFigure
            key={criterion}
            title={`${measure(criterion)} along ${chart.setting}`}
            asTable={asTable}
            keys={KEYS}
            numbers={numbersOf(chart, columns, criterion)}
            caption={null}
          >
            <Suspense fallback={<Box sx={{ height: 250 }} />}>
              <Curves
                title={`${measure(criterion)} along ${chart.setting}`}
                x={chart.setting}
                y={measure(criterion)}
                curves={curves[criterion] ?? []}
                ticks={chart.points}
                marks={i === 0 ? marks : bare}
                at={place}
                width={wide ? 690 : 341}
                height={250}
              />
            </Suspense>
          </ChartFigure>
        ))}
      </Box>
      <Box sx={{ mb: 2 }}>
        <Box
          sx={{
            display: "flex",
            gap: 2,
            alignItems: "center",
            fontSize: "size.small",
            color: "text.secondary",
            pl: "52px",
            pr: 2,
            maxWidth: 690,
          }}
        >
          simplest
          <Slider
            aria-label={chart.setting}
            size="small"
            min={0}
            max={chart.points.length - 1}
            step={1}
            value={place}
            getAriaValueText={word}
            onChange={(_, value) => setPlace(value as number)}
            sx={{ mx: 1 }}
          />
          <span style={{ whiteSpace: "nowrap" }}>most complex</span>
        </Box>
        <Box aria-live="polite" sx={{ fontSize: "size.text", mb: 0.5 }}>
          At {chart.setting} <b>{word(place)}</b>
          {place === chart.submitted ? " (as submitted)" : ""}:{" "}
          {chart.criteria.map((criterion) => said(columns, criterion, place)).join("; ")}. Read off the curve: estimates
          are in the table below.
        </Box>
        <Box sx={{ display: "flex", gap: 1, mb: 0.5 }}>
          <Button disabled={place === chart.submitted} onClick={() => setPlace(chart.submitted)}>
            Submitted, {word(chart.submitted)}
          </Button>
          <Button disabled={place === chart.best} onClick={() => setPlace(chart.best)}>
            Best, {word(chart.best)}
          </Button>
          <Button disabled={place === chart.simplest} onClick={() => setPlace(chart.simplest)}>
            Simplest as good, {word(chart.simplest)}
          </Button>
        </Box>
      </Box>
      {chart.tree && (
        <TreeFigure chart={chart.tree} series={series} asTable={asTable} handle={chart.strengths?.[place]} />
      )}
    </>
  );
}

function curvesOf(columns: Columns, criterion: string) {
  const points = (name: string) =>
    (columns[`${criterion} ${name}`] ?? []).flatMap((y, i): [number, number][] => (y === null ? [] : [[i, y]]));
  const unseen = colourOf("out_of_fold");
  return [
    { label: "training", colour: colourOf("training"), points: points("training") },
    { label: "unseen, with its interval", colour: unseen, points: points("unseen") },
    { label: "low", colour: unseen, points: points("low"), faint: true },
    { label: "high", colour: unseen, points: points("high"), faint: true },
  ];
}

/** The places that stand out, those that fall together under one name. */
function marksOf(chart: Schemas["DialChart"]) {
  const named: [number, string][] = [
    [chart.submitted, "submitted"],
    [chart.best, "best"],
    [chart.simplest, "simplest as good"],
  ];
  const found = new Map<number, string[]>();
  for (const [place, name] of named) found.set(place, [...(found.get(place) ?? []), name]);
  return [...found].map(([x, names]) => ({ x, label: names.join(", ") }));
}

function said(columns: Columns, criterion: string, place: number): string {
  const at = (name: string) => columns[`${criterion} ${name}`]?.[place] ?? null;
  const training = at("training");
  return `${measure(criterion)} ${interval({ value: at("unseen"), low: at("low"), high: at("high") })} unseen, ${training === null ? "–" : training.toFixed(3)} on training rows`;
}

function numbersOf(chart: Schemas["DialChart"], columns: Columns, criterion: string): ChartNumbers {
  const names = ["training", "unseen", "low", "high"].map((part) => `${criterion} ${part}`);
  return {
    columns: [chart.setting, ...names.map((name) => name.replaceAll("_", " "))],
    rows: chart.points.map((word, i) => [word, ...names.map((name) => columns[name]?.[i] ?? null)]),
  };
}
