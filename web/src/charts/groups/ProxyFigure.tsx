/** The map of proxies: every feature by how strongly it goes with an attribute and by what the model makes of it; pairs on request. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Estimate, Schemas } from "../../api/client";
import { useProxyPairs } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { Fetching, Said } from "../../parts/Said";
import { count, interval, number } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { colourOf } from "../palette";
import { placed, pointsOf, type Point } from "./proxies";
import { scaleOf } from "./scale";

interface ProxyFigureProps {
  chart: Schemas["ProxyMap"];
  estimates: readonly Estimate[];
  asTable: boolean;
  caseId: number;
}

const [WIDTH, HEIGHT, LEFT, TOP] = [700, 330, 58, 12] as const;
const EVERY = "";

export function ProxyFigure({ chart, estimates, asTable, caseId }: ProxyFigureProps) {
  const [attribute, setAttribute] = useState(EVERY);
  const [asked, setAsked] = useState(false);
  const points = pointsOf(chart, attribute || null, estimates);
  const options = [
    [EVERY, "the attribute it goes with most"] as const,
    ...chart.attributes.map((name) => [name, name.replaceAll("_", " ")] as const),
  ];
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      numbers={numbersOf(chart, estimates)}
      caption={
        <Box component="figcaption" sx={{ fontSize: "size.text" }}>
          Every feature by how strongly it goes with{" "}
          <InlineChoice name="Attribute" value={attribute} disabled={false} onSet={setAttribute} options={options} />,
          and by its permutation importance. Upper right: proxies that the model leans on. A dot leads to the
          distribution behind it.
        </Box>
      }
    >
      <Spots points={points} caseId={caseId} />
      <Box sx={{ my: 0.5 }}>
        {asked ? (
          <PairList caseId={caseId} />
        ) : (
          <Button onClick={() => setAsked(true)}>Pairs of features that together go with an attribute</Button>
        )}
      </Box>
    </ChartFigure>
  );
}

function Spots({ points, caseId }: { points: readonly Point[]; caseId: number }) {
  const { vars } = useTheme();
  const go = useNavigate();
  const [width, height] = [WIDTH - LEFT - 20, HEIGHT - TOP - 44];
  const x = scaleOf([0, 1], LEFT, width, 5);
  const influences = points.map((point) => point.influence ?? 0);
  const up = scaleOf(
    [
      Math.min(0, ...influences.filter((value) => value < -0.1 * Math.max(...influences))),
      ...influences.map((value) => Math.max(0, value)),
    ],
    0,
    height,
    4,
  );
  const y = (value: number) => TOP + height - up.x(value);
  const labels = placed(
    points.map((point) => ({ point, x: x.x(point.association), y: y(point.influence ?? 0) })),
    LEFT,
    WIDTH,
  );
  const to = (point: Point) =>
    `/cases/${caseId}/data?column=${encodeURIComponent(point.feature)}&by=${encodeURIComponent(point.attribute.split(" × ")[0] ?? "")}`;
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="group"
      aria-label="Map of proxies"
      style={{ maxWidth: WIDTH, display: "block" }}
    >
      {x.ticks.map((tick) => (
        <g key={tick}>
          <path d={`M${x.x(tick)} ${TOP}V${TOP + height}`} stroke={vars?.palette.brook.rule} />
          <text
            x={x.x(tick)}
            y={TOP + height + 14}
            textAnchor="middle"
            fontSize={11}
            fill={vars?.palette.text.secondary}
          >
            {number(tick, x.decimals)}
          </text>
        </g>
      ))}
      {up.ticks.map((tick) => (
        <g key={tick}>
          <path d={`M${LEFT} ${y(tick)}H${LEFT + width}`} stroke={vars?.palette.brook.rule} />
          <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" fontSize={11} fill={vars?.palette.text.secondary}>
            {number(tick, up.decimals)}
          </text>
        </g>
      ))}
      <text x={LEFT + width / 2} y={HEIGHT - 8} textAnchor="middle" fontSize={11} fill={vars?.palette.text.secondary}>
        association with the attribute (r, η or V)
      </text>
      <text
        transform={`translate(13, ${TOP + height / 2}) rotate(-90)`}
        textAnchor="middle"
        fontSize={11}
        fill={vars?.palette.text.secondary}
      >
        influence on the score
      </text>
      {labels.map(({ point, x: cx, y: cy, label }) => (
        <Box
          component="g"
          key={`${point.feature} ${point.attribute}`}
          role="link"
          tabIndex={0}
          aria-label={`${point.feature} and ${point.attribute}: association ${point.words}`}
          onClick={() => void go(to(point))}
          onKeyDown={(event: React.KeyboardEvent) => event.key === "Enter" && void go(to(point))}
          sx={{ cursor: "pointer" }}
        >
          <title>{`${point.feature} goes with ${point.attribute.replaceAll("_", " ")}: ${point.words}`}</title>
          {point.low != null && point.high != null && (
            <path
              d={`M${x.x(Math.abs(point.low))} ${cy}H${x.x(Math.abs(point.high))}`}
              stroke={colourOf("group")}
              strokeWidth={4}
              strokeOpacity={0.35}
            />
          )}
          {point.isProtected ? (
            <rect
              x={cx - 4.5}
              y={cy - 4.5}
              width={9}
              height={9}
              fill={colourOf("reference")}
              stroke={vars?.palette.text.primary}
            />
          ) : (
            <circle
              cx={cx}
              cy={cy}
              r={5}
              fill={colourOf("group")}
              stroke={vars?.palette.text.primary}
              strokeWidth={0.9}
            />
          )}
          {label && (
            <text x={label.x} y={label.y} textAnchor={label.anchor} fontSize={11.5} fill={vars?.palette.text.primary}>
              {label.words}
            </text>
          )}
        </Box>
      ))}
    </svg>
  );
}

function PairList({ caseId }: { caseId: number }) {
  const pairs = useProxyPairs(caseId);
  if (pairs.isPending) return <Fetching what="the pairs" />;
  if (!pairs.data) return <Said error={pairs.error} />;
  if (pairs.data.length === 0)
    return (
      <Box sx={{ fontSize: "size.text" }}>
        No two features go with a protected attribute by as much as 0.3 together.
      </Box>
    );
  return (
    <DataTable
      close
      label="Pairs of features"
      rows={pairs.data}
      keyOf={(pair) => `${pair.features.join()}${pair.attribute}`}
      columns={[
        {
          head: "two features together",
          cell: (pair) =>
            pair.features.map((name, i) => (
              <span key={name}>
                {i > 0 && " × "}
                <Link
                  to={`/cases/${caseId}/data?column=${encodeURIComponent(name)}&by=${encodeURIComponent(pair.attribute)}`}
                >
                  {name}
                </Link>
              </span>
            )),
        },
        { head: "attribute", cell: (pair) => pair.attribute.replaceAll("_", " ") },
        {
          head: "V together",
          right: true,
          cell: (pair) => interval({ value: pair.together, low: pair.low, high: pair.high }),
        },
        { head: "V of the stronger alone", right: true, cell: (pair) => number(pair.alone) },
        { head: "n", right: true, cell: (pair) => count(pair.n) },
      ]}
    />
  );
}

function numbersOf(chart: Schemas["ProxyMap"], estimates: readonly Estimate[]): ChartNumbers {
  const rows = chart.points.map((point) => {
    const [association, influence] = [
      estimates[point.association],
      point.influence == null ? undefined : estimates[point.influence],
    ];
    return [
      point.feature,
      point.attribute,
      association?.value ?? null,
      association?.low ?? null,
      association?.high ?? null,
      association?.n ?? 0,
      influence?.value ?? null,
      influence?.low ?? null,
      influence?.high ?? null,
    ];
  });
  return { columns: ["feature", "attribute", "association", "low", "high", "n", "influence", "low ", "high "], rows };
}
