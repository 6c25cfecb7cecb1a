/** A line chart of an exhibit, its series labelled directly beside it; a point of bins leads to its rows. */
import Box from "@mui/material/Box";
import { lazy, Suspense, useMemo } from "react";
import { useNavigate } from "react-router";
import type { Exhibit, Schemas } from "../api/client";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { CurveKey } from "./CurveKey";
import { colourOf } from "./palette";
import { ReadingLine } from "./ReadingLine";
import { readLines } from "./readings";
import { useRowsLink, type Behind } from "./rowsBehind";
import { useReading } from "./useReading";

const Curves = lazy(() => import("./Curves"));

type Columns = Record<string, (number | null)[]>;

interface LineFigureProps {
  chart: Schemas["LineChart"];
  series: Exhibit["series"];
  asTable: boolean;
  /** The line that stands out, by its label. */
  highlight?: string | undefined;
}

export function LineFigure({ chart, series, asTable, highlight }: LineFigureProps) {
  const link = useRowsLink();
  const go = useNavigate();
  const curves = useMemo(
    () =>
      chart.lines.map((line) => {
        const columns = series?.[line.series] ?? {};
        const y = columns.y ?? [];
        return {
          label: line.label,
          colour: colourOf(line.colour),
          faint: line.faint || (highlight !== undefined && highlight !== line.label),
          marks: Boolean(line.rows),
          points: (columns.x ?? []).map((x, i): [number, number] => [x ?? 0, y[i] ?? 0]),
        };
      }),
    [chart, series, highlight],
  );
  // Single rows' curves stand behind their mean, under one name.
  const faint = chart.lines.some((line) => line.faint);
  const named = faint
    ? [
        ...curves.filter((_, i) => !chart.lines[i]?.faint),
        ...curves.slice(0, 1).map((one) => ({ ...one, label: "single rows" })),
      ]
    : curves;
  const rowsAt = (place: number, at: number) => {
    const line = chart.lines[place];
    const behind = line && behindPoint(line, series?.[line.series] ?? {}, at);
    return behind ? link(behind) : null;
  };
  const open = (place: number, at: number) => {
    const to = rowsAt(place, at);
    if (to) void go(to);
  };
  const ticks = chart.ticks?.length ? chart.ticks : undefined;
  const axis = { label: chart.x, categories: ticks };
  const { place, words, handle } = useReading(readLines(chart, series), series, axis);
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      keys={named}
      numbers={numbersOf(chart, series, rowsAt)}
      caption={<CurveKey title={chart.title} curves={named} />}
    >
      <Suspense fallback={<Box sx={{ height: 290 }} />}>
        <Box {...(handle ?? {})} aria-label={chart.title} sx={{ width: 348 }}>
          <Curves
            title={chart.title}
            x={chart.x}
            y={chart.y}
            curves={curves}
            diagonal={chart.diagonal}
            marks={chart.marks}
            ticks={ticks}
            {...(place === undefined ? {} : { at: place })}
            width={348}
            height={290}
            onPoint={open}
          />
        </Box>
      </Suspense>
      {handle && <ReadingLine words={words} />}
    </ChartFigure>
  );
}

/** The rows that a point of bins stands for; null where the point is no bin, or an empty one. */
export function behindPoint(line: Schemas["Line"], columns: Columns, at: number): Behind | null {
  const [from, to] = [columns.from?.[at], columns.to?.[at]];
  if (!line.rows || from == null || to == null) return null;
  return { ...line.rows, decided: null, score_from: from, score_to: to };
}

/** Every column of every line, the lines one under the other. */
export function numbersOf(
  chart: Schemas["LineChart"],
  series: Exhibit["series"],
  rowsAt: (place: number, at: number) => string | null,
): ChartNumbers {
  const found = chart.lines.map((line): Columns => series?.[line.series] ?? {});
  const more = [...new Set(found.flatMap((columns) => Object.keys(columns)))].filter(
    (name) => name !== "x" && name !== "y",
  );
  const names = ["x", "y", ...more];
  const several = chart.lines.length > 1;
  const rows = chart.lines.flatMap((line, place) =>
    (found[place]?.x ?? []).map((_, i) => [
      ...(several ? [line.label] : []),
      ...names.map((name) => found[place]?.[name]?.[i] ?? null),
    ]),
  );
  const links = chart.lines.flatMap((_, place) => (found[place]?.x ?? []).map((_, i) => rowsAt(place, i)));
  const columns = [...(several ? ["line"] : []), chart.x, chart.y, ...more];
  return links.some(Boolean) ? { columns, rows, links } : { columns, rows };
}
