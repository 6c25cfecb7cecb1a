/** A figure composed of marks on two axes, from data alone: points with whiskers, lines, bands, bars, cells, text, rules. */
import { useTheme } from "@mui/material/styles";
import type { ReactNode } from "react";
import type { Exhibit, Schemas } from "../api/client";
import { number } from "../wording";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { axisOf, columnOf, type Scale } from "./marks";
import { colourOf } from "./palette";

type Chart = Schemas["MarksChart"];
type Mark = Chart["marks"][number];

const WIDTH = 690;
const HEIGHT = 280;
const LEFT = 64;
const RIGHT = 16;
const TOP = 12;
const BOTTOM = 44;

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
      caption={<b>{chart.title}</b>}
    >
      <svg
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
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
        {chart.marks.map((mark, i) => (
          <g key={i}>{drawn(mark, series, x, y, ink)}</g>
        ))}
      </svg>
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
  const xs = columnOf(columns, mark.x);
  if (mark.mark === "cells") {
    const [ys, values] = [columnOf(columns, mark.y), columnOf(columns, mark.value)];
    const largest = Math.max(...values.map((value) => Math.abs(value ?? 0)), 1e-12);
    const [wide, high] = [Math.abs(x.at(1) - x.at(0)), Math.abs(y.at(1) - y.at(0))];
    return xs.map((place, i) => (
      <g key={i}>
        <rect
          x={x.at(place ?? 0) - wide / 2}
          y={y.at(ys[i] ?? 0) - high / 2}
          width={wide}
          height={high}
          fill={colourOf("recipe")}
          opacity={0.08 + 0.4 * (Math.abs(values[i] ?? 0) / largest)}
        />
        <text x={x.at(place ?? 0)} y={y.at(ys[i] ?? 0) + 4} textAnchor="middle" fill={ink}>
          {number(values[i], 2)}
        </text>
      </g>
    ));
  }
  const colour = colourOf(mark.colour ?? "recipe");
  if (mark.mark === "band") {
    const [low, high] = [columnOf(columns, mark.low), columnOf(columns, mark.high)];
    const edge = (ends: (number | null)[]) => xs.map((place, i) => `${x.at(place ?? 0)} ${y.at(ends[i] ?? 0)}`);
    return <path d={`M${[...edge(low), ...edge(high).reverse()].join("L")}Z`} fill={colour} opacity={0.18} />;
  }
  const ys = columnOf(columns, mark.y);
  if (mark.mark === "bars") {
    const wide = Math.min(40, (0.7 * (WIDTH - LEFT - RIGHT)) / Math.max(xs.length, 1));
    return xs.map((place, i) => {
      const [top, foot] = [y.at(ys[i] ?? 0), y.at(0)];
      return (
        <rect
          key={i}
          x={x.at(place ?? 0) - wide / 2}
          y={Math.min(top, foot)}
          width={wide}
          height={Math.abs(foot - top)}
          fill={colour}
          opacity={0.5}
        />
      );
    });
  }
  if (mark.mark === "line")
    return (
      <path
        d={`M${xs.map((place, i) => `${x.at(place ?? 0)} ${y.at(ys[i] ?? 0)}`).join("L")}`}
        fill="none"
        stroke={colour}
        strokeWidth={1.6}
        strokeDasharray={mark.dashed ? "6 4" : undefined}
      />
    );
  const [low, high] = [
    mark.low == null ? null : columnOf(columns, mark.low),
    mark.high == null ? null : columnOf(columns, mark.high),
  ];
  return xs.map((place, i) => (
    <g key={i}>
      {low && high && (
        <path d={`M${x.at(place ?? 0)} ${y.at(low[i] ?? 0)}V${y.at(high[i] ?? 0)}`} stroke={colour} strokeWidth={1.4} />
      )}
      <circle cx={x.at(place ?? 0)} cy={y.at(ys[i] ?? 0)} r={4} fill={colour} stroke={ink} strokeWidth={0.6} />
    </g>
  ));
}

/** Every series that a mark draws, column by column. */
function numbersOf(chart: Chart, series: Exhibit["series"]): ChartNumbers {
  const names = [...new Set(chart.marks.flatMap((mark) => ("series" in mark ? [mark.series] : [])))];
  const first = names[0];
  const columns = first === undefined ? {} : (series?.[first] ?? {});
  const heads = Object.keys(columns);
  const length = Math.max(0, ...heads.map((head) => columns[head]?.length ?? 0));
  return { columns: heads, rows: Array.from({ length }, (_, i) => heads.map((head) => columns[head]?.[i] ?? null)) };
}
