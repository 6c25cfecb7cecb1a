/** The page of a ground: a strip a criterion over the same groups, limits drawn, as rates or as comparisons; curves by group. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import type { Estimate, Exhibit, Schemas } from "../../api/client";
import { GaugeMark } from "../../marks/GaugeMark";
import { InlineChoice } from "../../parts/Inline";
import { count, interval, number } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { LineFigure } from "../LineFigure";
import { colourOf } from "../palette";
import { scaleOf, type Scale } from "./scale";
import { isFew, worstOf } from "./standing";

type Ground = Schemas["GroundChart"];
type Strip = Schemas["CriterionStrip"];
type Way = "rates" | "against";

const WIDTH = 700;
const COLUMN = 344;
const GAP = 12;
const LABELS = 92;
const PLOT = 132;
const ROW = 19;

interface GroundFigureProps {
  chart: Ground;
  series: Exhibit["series"];
  estimates: readonly Estimate[];
  asTable: boolean;
}

export function GroundFigure({ chart, series, estimates, asTable }: GroundFigureProps) {
  const [way, setWay] = useState<Way>("rates");
  const limited = chart.strips.some((strip) => strip.comparisons.some((places) => places.length > 0));
  const block = 40 + ROW * chart.groups.length + 22;
  const height = Math.ceil(chart.strips.length / 2) * block;
  const words = chart.strips
    .map(
      (strip) =>
        `${strip.words}: ${chart.groups.map((group, i) => `${group} ${interval(estimates[strip.rows[i] ?? 0] as Estimate)}`).join("; ")}`,
    )
    .join(". ");
  return (
    <>
      <ChartFigure
        title={chart.title}
        asTable={asTable}
        numbers={numbersOf(chart, estimates)}
        caption={
          <Box component="figcaption" sx={{ fontSize: "size.small", color: "text.secondary", mb: 0.5 }}>
            {chart.title}, shown as{" "}
            <InlineChoice
              name="Shown as"
              value={way}
              disabled={false}
              onSet={setWay}
              options={[
                ["rates", "each group's own value"] as const,
                ["against", chart.reference === null ? "against everyone else" : "against the reference"] as const,
              ]}
            />
            {way === "rates"
              ? limited &&
                `; dashed lines are the limits, as the value of ${chart.reference === null ? "everyone else" : "the reference"} sets them`
              : `; thin lines are simultaneous intervals${limited ? ", dashed lines the limits" : ""}`}
          </Box>
        }
      >
        <svg
          width="100%"
          viewBox={`0 0 ${WIDTH} ${height}`}
          role="img"
          aria-label={`${chart.title}. ${words}`}
          style={{ maxWidth: WIDTH, display: "block" }}
        >
          {chart.strips.map((strip, i) => (
            <g key={strip.measure} transform={`translate(${(i % 2) * (COLUMN + GAP)}, ${Math.floor(i / 2) * block})`}>
              {way === "rates" ? (
                <Rates chart={chart} strip={strip} estimates={estimates} />
              ) : (
                <Against chart={chart} strip={strip} estimates={estimates} />
              )}
            </g>
          ))}
        </svg>
        <Unsettled chart={chart} estimates={estimates} />
      </ChartFigure>
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2 }}>
        {(chart.curves ?? []).map((curve) => (
          <Box key={curve.title} sx={{ width: asTable ? "100%" : 348 }}>
            <LineFigure chart={curve} series={series} asTable={asTable} />
          </Box>
        ))}
      </Box>
    </>
  );
}

/** What these rows can't tell, with the rows that would. */
function Unsettled({ chart, estimates }: { chart: Ground; estimates: readonly Estimate[] }) {
  const open = chart.strips.flatMap((strip) =>
    chart.groups.flatMap((group, i) =>
      worstOf(strip.comparisons[i] ?? [], estimates) === "unsettled"
        ? [
            `${group.replace(REFERENCE, "")} by ${strip.words.replace(/^./, (c) => c.toLowerCase())}${strip.settle[i] ? ` (about ${count(strip.settle[i])} rows of the group would)` : " (no number of rows at this value)"}`,
          ]
        : [],
    ),
  );
  if (open.length === 0) return null;
  return (
    <Box sx={{ fontSize: "size.cell", color: "text.secondary", maxWidth: WIDTH }}>
      These rows can't tell whether a difference is there: {open.join("; ")}.
    </Box>
  );
}

interface StripProps {
  chart: Ground;
  strip: Strip;
  estimates: readonly Estimate[];
}

/** Every group's own value with its interval; the limits as lines. */
function Rates({ chart, strip, estimates }: StripProps) {
  const own = strip.rows.map((place) => estimates[place] as Estimate);
  const values = own.flatMap((e) => [e.value, e.low, e.high]).filter((v): v is number => typeof v === "number");
  const scale = scaleOf(
    [
      ...values,
      ...[strip.low, strip.high, ...(strip.ends ?? []).flat()].filter(
        (v): v is number => typeof v === "number" && nearby(v, values),
      ),
    ],
    LABELS,
    PLOT,
  );
  return (
    <Frame chart={chart} title={strip.words} scale={scale} limits={[strip.low, strip.high]} ends={strip.ends ?? []}>
      {own.map((e, i) => (
        <Line
          key={i}
          label={chart.groups[i] ?? ""}
          y={rowAt(i)}
          estimate={e}
          scale={scale}
          colour={colourOf(i === chart.reference ? "reference" : "group")}
          standing={worstOf(strip.comparisons[i] ?? [], estimates)}
          settle={strip.settle[i] ?? null}
          judged={(strip.comparisons[i] ?? []).length > 0}
        />
      ))}
    </Frame>
  );
}

/** Every group's comparison with the reference, the simultaneous interval drawn thin. */
function Against({ chart, strip, estimates }: StripProps) {
  const { vars } = useTheme();
  const compared = strip.against.map((place) => (place == null ? null : (estimates[place] as Estimate)));
  const known = compared.filter((e): e is Estimate => e !== null);
  const limit = known.find((e) => e.limit)?.limit;
  const values = known
    .flatMap((e) => [e.value, e.wide_low ?? e.low, e.wide_high ?? e.high])
    .filter((v): v is number => typeof v === "number");
  const ideal = strip.kind === "difference" ? 0 : 1;
  const scale = scaleOf(
    [...values, ideal, ...[limit?.at_least, limit?.at_most].filter((v): v is number => typeof v === "number")],
    LABELS,
    PLOT,
  );
  const title = strip.kind === "itself" ? strip.words : `${strip.words}, ${strip.kind}`;
  return (
    <Frame chart={chart} title={title} scale={scale} limits={[limit?.at_least, limit?.at_most]}>
      <path
        d={`M${scale.x(ideal)} 24V${rowAt(chart.groups.length - 1) + 9}`}
        stroke={vars?.palette.text.secondary}
        strokeWidth={0.8}
      />
      {compared.map((e, i) =>
        e ? (
          <Line
            key={i}
            label={chart.groups[i] ?? ""}
            y={rowAt(i)}
            estimate={e}
            scale={scale}
            colour={colourOf(i === chart.reference ? "reference" : "group")}
            standing={worstOf(strip.comparisons[i] ?? [], estimates)}
            settle={strip.settle[i] ?? null}
            judged={(strip.comparisons[i] ?? []).length > 0}
          />
        ) : (
          <text
            key={i}
            x={LABELS - 8}
            y={rowAt(i) + 4}
            textAnchor="end"
            fontSize={11}
            fill={vars?.palette.text.secondary}
          >
            {cut(chart.groups[i] ?? "")}
          </text>
        ),
      )}
    </Frame>
  );
}

const rowAt = (place: number) => 34 + ROW * place;
const MOST = 15;
const REFERENCE = " (reference)";

/** A group's name where there is little room for it; the reference keeps a word that says so. */
function cut(label: string): string {
  const name = label.replace(REFERENCE, "");
  const mark = name === label ? "" : " (ref.)";
  const room = MOST - mark.length;
  return `${name.length > room ? `${name.slice(0, room - 1)}…` : name}${mark}`;
}

/** A limit far beyond all values would only press them together. */
function nearby(limit: number, values: readonly number[]): boolean {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const span = Math.max(high - low, 1e-9);
  return limit > low - 2 * span && limit < high + 2 * span;
}

interface FrameProps {
  chart: Ground;
  title: string;
  scale: Scale;
  limits: readonly (number | null | undefined)[];
  /** The limits of each group, where they are not the same for all. */
  ends?: readonly (readonly (number | null)[])[];
  children: React.ReactNode;
}

function Frame({ chart, title, scale, limits, ends = [], children }: FrameProps) {
  const { vars } = useTheme();
  const bottom = rowAt(chart.groups.length - 1) + 11;
  const [left, right] = [scale.ticks[0] ?? 0, scale.ticks.at(-1) ?? 1];
  return (
    <g>
      <text x={0} y={13} fontSize={12} fontWeight={600} fill={vars?.palette.text.primary}>
        {title}
      </text>
      {scale.ticks.map((tick) => (
        <g key={tick}>
          <path d={`M${scale.x(tick)} 22V${bottom}`} stroke={vars?.palette.brook.rule} />
          <text x={scale.x(tick)} y={bottom + 12} textAnchor="middle" fontSize={10} fill={vars?.palette.text.secondary}>
            {number(tick, scale.decimals)}
          </text>
        </g>
      ))}
      {limits.map(
        (limit, i) =>
          typeof limit === "number" &&
          limit >= left &&
          limit <= right && (
            <path
              key={i}
              d={`M${scale.x(limit)} 20V${bottom}`}
              stroke={vars?.palette.text.primary}
              strokeWidth={1.1}
              strokeDasharray="4 3"
            />
          ),
      )}
      {ends.flatMap((pair, row) =>
        pair.map(
          (limit, i) =>
            typeof limit === "number" &&
            limit >= left &&
            limit <= right && (
              <path
                key={`${row} ${i}`}
                d={`M${scale.x(limit)} ${rowAt(row) - ROW / 2}v${ROW}`}
                stroke={vars?.palette.text.primary}
                strokeWidth={1.1}
                strokeDasharray="4 3"
              />
            ),
        ),
      )}
      {children}
    </g>
  );
}

interface LineProps {
  label: string;
  y: number;
  estimate: Estimate;
  scale: Scale;
  colour: string;
  standing: ReturnType<typeof worstOf>;
  settle: number | null;
  judged: boolean;
}

function Line({ label, y, estimate, scale, colour, standing, settle, judged }: LineProps) {
  const { vars } = useTheme();
  const few = isFew(estimate);
  const told = [
    `${label}: ${interval(estimate)}, n ${count(estimate.n)}`,
    estimate.note,
    settle ? `about ${count(settle)} rows of the group would settle it` : null,
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <g opacity={few ? 0.7 : 1}>
      <title>{told}</title>
      <text x={LABELS - 8} y={y + 4} textAnchor="end" fontSize={11} fill={vars?.palette.text.primary}>
        {cut(label)}
      </text>
      {estimate.value !== null && (
        <>
          {estimate.wide_low != null && estimate.wide_high != null && (
            <path
              d={`M${scale.x(estimate.wide_low)} ${y}H${scale.x(estimate.wide_high)}`}
              stroke={colour}
              strokeWidth={1.2}
            />
          )}
          {estimate.low != null && estimate.high != null && (
            <path
              d={`M${scale.x(estimate.low)} ${y}H${scale.x(estimate.high)}`}
              stroke={colour}
              strokeWidth={5}
              strokeOpacity={0.45}
              strokeDasharray={few ? "2 2" : undefined}
            />
          )}
          <circle
            cx={scale.x(estimate.value)}
            cy={y}
            r={4.2}
            fill={few ? "none" : colour}
            stroke={vars?.palette.text.primary}
            strokeWidth={0.9}
          />
        </>
      )}
      {standing && (
        <g transform={`translate(${LABELS + PLOT + 5}, ${y - 10})`}>
          <GaugeMark standing={standing} />
        </g>
      )}
      {judged && !standing && (
        <text x={LABELS + PLOT + 17} y={y + 4} textAnchor="middle" fontSize={10} fill={vars?.palette.brook.muted}>
          few
        </text>
      )}
      <text x={LABELS + PLOT + 64} y={y + 4} textAnchor="end" fontSize={11} fill={vars?.palette.text.primary}>
        {number(estimate.value)}
      </text>
      <text x={COLUMN} y={y + 4} textAnchor="end" fontSize={10} fill={vars?.palette.brook.muted}>
        n {count(estimate.n)}
      </text>
    </g>
  );
}

/** Every group by every criterion: the value, its interval and n, the comparison and how it stands. */
export function numbersOf(chart: Ground, estimates: readonly Estimate[]): ChartNumbers {
  const rows = chart.strips.flatMap((strip) =>
    chart.groups.map((group, i) => {
      const own = estimates[strip.rows[i] ?? 0] as Estimate;
      const place = strip.against[i];
      const against = place == null || strip.kind === "itself" ? undefined : estimates[place];
      return [
        strip.words,
        group,
        own.value,
        own.low ?? null,
        own.high ?? null,
        own.n,
        against?.value ?? null,
        against?.low ?? null,
        against?.high ?? null,
        worstOf(strip.comparisons[i] ?? [], estimates) ?? "",
        strip.settle[i] ?? null,
      ];
    }),
  );
  return {
    columns: [
      "criterion",
      "group",
      "value",
      "low",
      "high",
      "n",
      "comparison",
      "low ",
      "high ",
      "stands",
      "rows to settle",
    ],
    rows,
  };
}
