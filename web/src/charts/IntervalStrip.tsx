/** The interval strip: comparable estimates as dots with whiskers on one scale, the limit a line, the claim a flag, n at the right. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { Estimate, Schemas } from "../api/client";
import { count, interval, number } from "../wording";
import { ChartFigure, type ChartNumbers } from "./ChartFigure";
import { colourOf } from "./palette";

const LABELS = 178;
const PLOT = 392;
const WIDTH = 690;
const ROW = 19;

interface Scale {
  x: (value: number) => number;
  ticks: number[];
}

interface IntervalStripProps {
  chart: Schemas["StripChart"];
  estimates: readonly Estimate[];
  asTable?: boolean;
}

export function IntervalStrip({ chart, estimates, asTable = false }: IntervalStripProps) {
  const { vars } = useTheme();
  const scale = scaleOf(chart, estimates);
  const tops: number[] = [];
  let bottom = 8;
  for (const group of chart.groups) {
    tops.push(bottom);
    bottom += ROW * group.rows.length + 30 + (group.gap == null ? 0 : 16);
  }
  const words = chart.groups
    .map(
      (group) =>
        `${group.label}: ${group.rows.map((row) => `${row.label} ${interval(estimates[row.estimate] as Estimate)}`).join("; ")}`,
    )
    .join(". ");
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      numbers={numbersOf(chart, estimates)}
      caption={
        <Box component="figcaption" sx={{ fontSize: "size.small", color: "text.secondary", mb: 0.5 }}>
          {chart.title}
        </Box>
      }
    >
      <svg
        width="100%"
        viewBox={`0 0 ${WIDTH} ${bottom + 20}`}
        role="img"
        aria-label={`${chart.title}. ${words}`}
        style={{ maxWidth: WIDTH, display: "block" }}
      >
        {scale.ticks.map((tick) => (
          <g key={tick}>
            <path d={`M${scale.x(tick)} 4V${bottom}`} stroke={vars?.palette.brook.rule} />
            <text
              x={scale.x(tick)}
              y={bottom + 15}
              textAnchor="middle"
              fontSize={11}
              fill={vars?.palette.text.secondary}
            >
              {number(tick, tickDecimals(scale.ticks))}
            </text>
          </g>
        ))}
        {chart.groups.map((group, i) => (
          <Group key={group.label + i} group={group} top={tops[i] as number} estimates={estimates} scale={scale} />
        ))}
      </svg>
    </ChartFigure>
  );
}

/** Every dot of the strip with the ends of its whisker. */
export function numbersOf(chart: Schemas["StripChart"], estimates: readonly Estimate[]): ChartNumbers {
  const rows = chart.groups.flatMap((group) =>
    group.rows.map((row) => {
      const e = estimates[row.estimate] as Estimate;
      return [group.label, row.label, e.value, e.low ?? null, e.high ?? null, e.n];
    }),
  );
  return { columns: ["under", "of", "value", "low", "high", "n"], rows };
}

function Group({
  group,
  top,
  estimates,
  scale,
}: {
  group: Schemas["StripGroup"];
  top: number;
  estimates: readonly Estimate[];
  scale: Scale;
}) {
  const { vars } = useTheme();
  const claim = group.claim ? Number(group.claim) : null;
  const flagX = claim === null ? 0 : scale.x(claim);
  const leftward = flagX > LABELS + PLOT - 90;
  return (
    <g>
      <text x={0} y={top + 12} fontSize={12.5} fontWeight={600} fill={vars?.palette.text.primary}>
        {group.label}
      </text>
      {claim !== null && (
        <g>
          <path
            d={`M${flagX} ${top + 2}V${top + 22 + ROW * group.rows.length}`}
            stroke={vars?.palette.text.primary}
            strokeDasharray="2 3"
          />
          <path
            d={leftward ? `M${flagX} ${top + 2}h-13l4 4 -4 4h13` : `M${flagX} ${top + 2}h13l-4 4 4 4h-13`}
            fill={vars?.palette.text.primary}
          />
          <text
            x={flagX + (leftward ? -17 : 17)}
            y={top + 10}
            textAnchor={leftward ? "end" : "start"}
            fontSize={11}
            fill={vars?.palette.text.primary}
          >
            claim {group.claim}
          </text>
        </g>
      )}
      {group.brackets?.map(([first, last], i) => {
        const x = LABELS + PLOT + 5 + 3 * i;
        const [from, to] = [top + 26 + ROW * first - 6, top + 26 + ROW * last + 6];
        return (
          <path
            key={first}
            d={`M${x - 3} ${from}h3V${to}h-3`}
            stroke={vars?.palette.text.secondary}
            strokeWidth={1.2}
            fill="none"
          />
        );
      })}
      {group.gap != null && (
        <Gap group={group} y={top + 26 + ROW * group.rows.length} estimates={estimates} scale={scale} />
      )}
      {group.rows.map((row, i) => (
        <Row
          key={row.estimate}
          row={row}
          y={top + 26 + ROW * i}
          estimate={estimates[row.estimate] as Estimate}
          scale={scale}
        />
      ))}
    </g>
  );
}

/** Where a gap is drawn: from the row of its unseen part (else the last) as far towards the first row as it says. */
export function gapEnds(gap: Estimate, rows: readonly Estimate[]): [number, number] | null {
  const unseen = (rows.find((row) => row.part != null && row.part === gap.versus?.part) ?? rows.at(-1))?.value;
  const first = rows[0]?.value;
  if (gap.value == null || unseen == null || first == null) return null;
  const far = unseen + Math.sign(first - unseen) * Math.abs(gap.value);
  return [Math.min(unseen, far), Math.max(unseen, far)];
}

/** The distance from training to unseen rows, drawn so that it is seen. */
function Gap({
  group,
  y,
  estimates,
  scale,
}: {
  group: Schemas["StripGroup"];
  y: number;
  estimates: readonly Estimate[];
  scale: Scale;
}) {
  const { vars } = useTheme();
  const gap = estimates[group.gap ?? 0];
  const ends = gap
    ? gapEnds(
        gap,
        group.rows.flatMap((row) => estimates[row.estimate] ?? []),
      )
    : null;
  if (gap?.value == null || ends === null) return null;
  const [from, to] = [scale.x(ends[0]), scale.x(ends[1])];
  const colour =
    gap.standing === "outside"
      ? vars?.palette.brook.brick
      : gap.standing === "near"
        ? vars?.palette.brook.ochre
        : vars?.palette.text.secondary;
  const beside = to + 92 > LABELS + PLOT;
  return (
    <g>
      <path
        d={`M${from} ${y}H${to}M${from} ${y - 4}v8M${to} ${y - 4}v8`}
        stroke={colour}
        strokeWidth={1.4}
        fill="none"
      />
      <text
        x={beside ? from - 6 : to + 6}
        y={y + 4}
        textAnchor={beside ? "end" : "start"}
        fontSize={11.5}
        fontWeight={600}
        fill={colour}
      >
        gap {number(gap.value)}
      </text>
    </g>
  );
}

function Row({ row, y, estimate, scale }: { row: Schemas["StripRow"]; y: number; estimate: Estimate; scale: Scale }) {
  const { vars } = useTheme();
  const colour = colourOf(row.colour);
  const x = (value: number) => Math.min(Math.max(scale.x(value), LABELS), LABELS + PLOT);
  return (
    <g>
      <title>{`${row.label}: ${interval(estimate)}, n ${count(estimate.n)}${estimate.note ? `, ${estimate.note}` : ""}`}</title>
      <text x={LABELS - 12} y={y + 4} textAnchor="end" fontSize={11.5} fill={vars?.palette.text.primary}>
        {row.label.length > 27 ? `${row.label.slice(0, 26)}…` : row.label}
      </text>
      <text x={WIDTH} y={y + 4} textAnchor="end" fontSize={11} fill={vars?.palette.brook.muted}>
        n {count(estimate.n)}
      </text>
      {estimate.value === null ? (
        <text x={LABELS + 8} y={y + 4} fontSize={11} fill={vars?.palette.brook.muted}>
          {estimate.note}
        </text>
      ) : (
        <g>
          {estimate.wide_low != null && estimate.wide_high != null && (
            <path d={`M${x(estimate.wide_low)} ${y}H${x(estimate.wide_high)}`} stroke={colour} strokeWidth={1.2} />
          )}
          {estimate.low != null && estimate.high != null && (
            <path
              d={`M${x(estimate.low)} ${y}H${x(estimate.high)}`}
              stroke={colour}
              strokeWidth={5}
              strokeOpacity={0.4}
            />
          )}
          <circle
            cx={x(estimate.value)}
            cy={y}
            r={4.6}
            fill={colour}
            stroke={vars?.palette.text.primary}
            strokeWidth={0.9}
          />
          <text x={WIDTH - 62} y={y + 4} textAnchor="end" fontSize={11.5} fill={vars?.palette.text.primary}>
            {number(estimate.value)}
          </text>
        </g>
      )}
    </g>
  );
}

function scaleOf(chart: Schemas["StripChart"], estimates: readonly Estimate[]): Scale {
  const values: number[] = [];
  for (const group of chart.groups) {
    if (group.claim) values.push(Number(group.claim));
    for (const row of group.rows) {
      const e = estimates[row.estimate];
      for (const end of [e?.value, e?.low, e?.high]) if (typeof end === "number") values.push(end);
    }
  }
  let low = Math.min(...values, 1);
  let high = Math.max(...values, 0);
  if (!(high > low)) [low, high] = [0, 1];
  const step = niceStep((high - low) / 5);
  low = Math.floor(low / step + 1e-9) * step;
  high = Math.ceil(high / step - 1e-9) * step;
  const ticks = Array.from({ length: Math.round((high - low) / step) + 1 }, (_, i) => low + i * step);
  return { x: (value) => LABELS + ((value - low) / (high - low)) * PLOT, ticks };
}

function niceStep(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough));
  const fraction = rough / power;
  return (fraction <= 1 ? 1 : fraction <= 2 ? 2 : fraction <= 5 ? 5 : 10) * power;
}

function tickDecimals(ticks: readonly number[]): number {
  const step = (ticks[1] ?? 1) - (ticks[0] ?? 0);
  return Math.max(0, Math.min(4, Math.ceil(-Math.log10(step) - 1e-9)));
}
