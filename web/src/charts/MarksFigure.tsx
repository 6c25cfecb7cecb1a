/** A figure composed of marks on two axes, from data alone: points with whiskers, lines, bands, bars, cells, text, rules. */
import { useTheme } from "@mui/material/styles";
import { type PointerEvent, type ReactNode } from "react";
import type { Exhibit, Schemas } from "../api/client";
import { number } from "../wording";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { CurveKey } from "./CurveKey";
import { axisOf, columnOf, rowsOf, type Scale } from "./marks";
import { colourOf } from "./palette";
import { ReadingLine } from "./ReadingLine";
import { nearest, readMarks } from "./readings";
import { useReading } from "./useReading";

type Chart = Schemas["MarksChart"];
type Mark = Chart["marks"][number];

const WIDTH = 690;
const HEIGHT = 280;
const LEFT = 64;
const RIGHT = 16;
const TOP = 12;
const BOTTOM = 44;

/** The corners of what lies within the axes, with room for half a dot. */
const INSIDE = [
  [LEFT - 5, TOP - 5],
  [WIDTH - RIGHT + 5, TOP - 5],
  [WIDTH - RIGHT + 5, HEIGHT - BOTTOM + 5],
  [LEFT - 5, HEIGHT - BOTTOM + 5],
].join(" ");

interface Props {
  chart: Chart;
  series: Exhibit["series"];
  asTable: boolean;
}

export function MarksFigure({ chart, series, asTable }: Props) {
  const { vars } = useTheme();
  const x = axisOf(chart, series, "x", LEFT, WIDTH - RIGHT);
  const y = axisOf(chart, series, "y", HEIGHT - BOTTOM, TOP);
  const ink = vars?.palette.text.primary;
  const muted = vars?.palette.text.secondary;
  const { places, place, readings, words, setAt, handle } = useReading(readMarks(chart), series, chart.x);
  const follow = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    setAt(nearest(places, x.from(((event.clientX - box.left) / box.width) * WIDTH)));
  };
  const reads = handle ? { ...handle, onPointerMove: follow } : ({ role: "img" } as const);
  const named = chart.marks
    .filter((mark) => "label" in mark && mark.label && "colour" in mark)
    .map((mark) => ({
      label: (mark as { label: string }).label,
      colour: colourOf((mark as { colour: string }).colour),
    }));
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      keys={named}
      numbers={numbersOf(chart, series)}
      caption={<CurveKey title={chart.title} curves={named} />}
    >
      <svg
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        {...reads}
        aria-label={chart.title}
        style={{ maxWidth: WIDTH, display: "block", font: "12px 'Inter Variable', sans-serif" }}
      >
        <path d={`M${LEFT} ${TOP}V${HEIGHT - BOTTOM}H${WIDTH - RIGHT}`} fill="none" stroke={muted} />
        {x.ticks.map((tick) => (
          <text key={tick.at} x={tick.at} y={HEIGHT - BOTTOM + 16} textAnchor="middle" fill={muted}>
            {tick.label}
          </text>
        ))}
        {y.ticks.map((tick) => (
          <text key={tick.at} x={LEFT - 6} y={tick.at + 4} textAnchor="end" fill={muted}>
            {tick.label}
          </text>
        ))}
        <text x={(LEFT + WIDTH - RIGHT) / 2} y={HEIGHT - 6} textAnchor="middle" fill={ink}>
          {chart.x.label}
        </text>
        <text
          x={12}
          y={(TOP + HEIGHT - BOTTOM) / 2}
          textAnchor="middle"
          fill={ink}
          transform={`rotate(-90 12 ${(TOP + HEIGHT - BOTTOM) / 2})`}
        >
          {chart.y.label}
        </text>
        <clipPath id={`inside-${chart.id}`}>
          <polygon points={INSIDE} />
        </clipPath>
        <g clipPath={`url(#inside-${chart.id})`}>
          {chart.marks.map((mark, i) => (
            <g key={i}>{drawn(mark, series, x, y, ink)}</g>
          ))}
        </g>
        {place !== undefined && (
          <g pointerEvents="none">
            <path d={`M${x.at(place)} ${TOP}V${HEIGHT - BOTTOM}`} stroke={muted} />
            {readings.map((one) => (
              <circle key={one.label} cx={x.at(place)} cy={y.at(one.y)} r={3.5} fill="none" stroke={ink} />
            ))}
          </g>
        )}
      </svg>
      {handle && <ReadingLine words={words} />}
    </ChartFigure>
  );
}

function drawn(mark: Mark, series: Exhibit["series"], x: Scale, y: Scale, ink: string | undefined): ReactNode {
  if (mark.mark === "text")
    return (
      <text x={x.at(mark.x)} y={y.at(mark.y)} fill={ink}>
        {mark.words}
      </text>
    );
  if (mark.mark === "rule") {
    const [across, place] = mark.x == null ? [true, y.at(mark.y ?? 0)] : [false, x.at(mark.x)];
    return (
      <>
        <path
          d={across ? `M${LEFT} ${place}H${WIDTH - RIGHT}` : `M${place} ${TOP}V${HEIGHT - BOTTOM}`}
          stroke={ink}
          strokeDasharray="5 3"
        />
        {mark.label && (
          <text
            x={across ? WIDTH - RIGHT : place + 4}
            y={across ? place - 4 : TOP + 10}
            textAnchor={across ? "end" : "start"}
            fill={ink}
          >
            {mark.label}
          </text>
        )}
      </>
    );
  }
  const columns = series?.[mark.series] ?? {};
  if (mark.mark === "cells") {
    const cells = rowsOf(columns, [mark.x, mark.y, mark.value]).flat();
    const largest = Math.max(...cells.map(([, , value]) => Math.abs(value)), 1e-12);
    const [wide, high] = [Math.abs(x.at(1) - x.at(0)), Math.abs(y.at(1) - y.at(0))];
    return cells.map(([column, row, value], i) => (
      <g key={i}>
        <rect
          x={x.at(column) - wide / 2}
          y={y.at(row) - high / 2}
          width={wide}
          height={high}
          fill={colourOf("recipe")}
          opacity={0.08 + 0.4 * (Math.abs(value) / largest)}
        />
        <text x={x.at(column)} y={y.at(row) + 4} textAnchor="middle" fill={ink}>
          {number(value, 2)}
        </text>
      </g>
    ));
  }
  const colour = colourOf(mark.colour ?? "recipe");
  if (mark.mark === "band")
    return rowsOf(columns, [mark.x, mark.low, mark.high]).map((run, i) => {
      const edge = (end: 1 | 2) => run.map((row) => `${x.at(row[0])} ${y.at(row[end])}`);
      return <path key={i} d={`M${[...edge(1), ...edge(2).reverse()].join("L")}Z`} fill={colour} opacity={0.18} />;
    });
  const runs = rowsOf(columns, [mark.x, mark.y]);
  if (mark.mark === "line")
    return runs.map((run, i) => (
      <path
        key={i}
        d={`M${run.map(([across, up]) => `${x.at(across)} ${y.at(up)}`).join("L")}`}
        fill="none"
        stroke={colour}
        strokeWidth={1.6}
        strokeDasharray={mark.dashed ? "6 4" : undefined}
      />
    ));
  if (mark.mark === "bars") {
    const wide = Math.min(40, (0.7 * (WIDTH - LEFT - RIGHT)) / Math.max(columnOf(columns, mark.x).length, 1));
    return runs.flat().map(([across, up], i) => {
      const [top, foot] = [y.at(up), y.at(0)];
      return (
        <rect
          key={i}
          x={x.at(across) - wide / 2}
          y={Math.min(top, foot)}
          width={wide}
          height={Math.abs(foot - top)}
          fill={colour}
          opacity={0.5}
        />
      );
    });
  }
  const whiskers = mark.low == null || mark.high == null ? [] : rowsOf(columns, [mark.x, mark.low, mark.high]).flat();
  return (
    <>
      {whiskers.map(([across, low, high], i) => (
        <path key={i} d={`M${x.at(across)} ${y.at(low)}V${y.at(high)}`} stroke={colour} strokeWidth={1.4} />
      ))}
      {runs.flat().map(([across, up], i) => (
        <circle key={i} cx={x.at(across)} cy={y.at(up)} r={4} fill={colour} stroke={ink} strokeWidth={0.6} />
      ))}
    </>
  );
}

/** Every series that a mark draws, column by column; under its name where there are several. */
function numbersOf(chart: Chart, series: Exhibit["series"]): ChartNumbers {
  const names = [...new Set(chart.marks.flatMap((mark) => ("series" in mark ? [mark.series] : [])))];
  const heads = [...new Set(names.flatMap((name) => Object.keys(series?.[name] ?? {})))];
  const many = names.length > 1;
  const rows = names.flatMap((name) => {
    const columns = series?.[name] ?? {};
    const length = Math.max(0, ...heads.map((head) => columnOf(columns, head).length));
    return Array.from({ length }, (_, i) => [
      ...(many ? [name] : []),
      ...heads.map((head) => columnOf(columns, head)[i] ?? null),
    ]);
  });
  return { columns: many ? ["series", ...heads] : heads, rows };
}
