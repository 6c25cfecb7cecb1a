/** Combinations: the groups as a list, those worse than either ground alone first, a matrix of two grounds, and a ladder down to the chosen one. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useTheme } from "@mui/material/styles";
import { useMemo, useRef, useState, type KeyboardEvent } from "react";
import type { Estimate, Schemas } from "../../api/client";
import { GaugeMark } from "../../marks/GaugeMark";
import { DataTable } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { Kbd } from "../../parts/Kbd";
import { count, ends, interval, number, plural } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { colourOf } from "../palette";
import {
  few,
  keyOf,
  ladderOf,
  levelWords,
  matrixOf,
  pairsOf,
  ranked,
  shortOf,
  standingOf,
  wordsOf,
  type Combined,
  type Rung,
} from "./combinations";
import { scaleOf } from "./scale";

type Chart = Schemas["CombinationChart"];
const AT_FIRST = 12;
/** For who listens: the place in the table says it to who looks. */
const HIDDEN = {
  position: "absolute",
  width: 1,
  height: 1,
  overflow: "hidden",
  clipPath: "inset(50%)",
  whiteSpace: "nowrap",
} as const;

interface CombinationFigureProps {
  chart: Chart;
  estimates: readonly Estimate[];
  asTable: boolean;
  /** The group in the address, and how to put one there. */
  chosen: string;
  onChoose: (key: string) => void;
  onFind?: ((group: Record<string, string>) => void) | undefined;
}

export function CombinationFigure({ chart, estimates, asTable, chosen, onChoose, onFind }: CombinationFigureProps) {
  const measures = Object.entries(chart.criteria);
  const [measure, setMeasure] = useState(() => firstMeasure(chart));
  const [all, setAll] = useState(false);
  const list = useMemo(() => ranked(chart, measure, estimates), [chart, measure, estimates]);
  const one = list.find((each) => keyOf(each) === chosen) ?? list[0];
  const place = one ? list.indexOf(one) : 0;
  const shown = all ? list : list.slice(0, Math.max(AT_FIRST, place + 1));
  if (!one) return null;
  const worse = list.filter((each) => each.group.worse?.includes(measure)).length;
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      numbers={numbersOf(chart, list, measure, estimates)}
      caption={
        <Box component="figcaption" sx={{ fontSize: "size.text", mb: 0.5 }}>
          {chart.title}, by{" "}
          <InlineChoice name="Criterion" value={measure} disabled={false} onSet={setMeasure} options={measures} />
          {worse > 0
            ? `: ${plural(worse, "group")} worse than either ground alone would make it, first`
            : "; none is shown to be worse than either ground alone would make it"}
          .
        </Box>
      }
    >
      <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr) 300px", columnGap: 2.5, alignItems: "start" }}>
        <List
          groups={shown}
          chosen={one}
          measure={measure}
          estimates={estimates}
          onChoose={onChoose}
          onFind={onFind && ((each) => onFind(labelOf(each)))}
        />
        <Box>
          <Ladder
            one={one}
            rungs={ladderOf(chart, one, measure, estimates)}
            words={chart.criteria[measure] ?? measure}
          />
          {onFind && (
            <Button variant="outlined" onClick={() => onFind(labelOf(one))} sx={{ mt: 0.5 }}>
              Write a finding about this group&nbsp; <Kbd>Enter</Kbd>
            </Button>
          )}
        </Box>
      </Box>
      {!all && shown.length < list.length && (
        <Button onClick={() => setAll(true)}>Show all {count(list.length)} groups</Button>
      )}
      <Matrix chart={chart} measure={measure} estimates={estimates} chosen={one} onChoose={onChoose} />
    </ChartFigure>
  );
}

const labelOf = (one: Combined) =>
  Object.fromEntries(one.attributes.map((name, i) => [name, one.group.levels[i] ?? ""]));

/** The criterion by which a group is worse than either ground alone; else the first. */
function firstMeasure(chart: Chart): string {
  const worse = chart.combinations.flatMap((one) => one.groups.flatMap((group) => group.worse ?? []));
  return worse[0] ?? Object.keys(chart.criteria)[0] ?? "";
}

interface ListProps {
  groups: readonly Combined[];
  chosen: Combined;
  measure: string;
  estimates: readonly Estimate[];
  onChoose: (key: string) => void;
  onFind: ((one: Combined) => void) | undefined;
}

/** One stop of the tab key; arrows move, Enter writes a finding. */
function List({ groups, chosen, measure, estimates, onChoose, onFind }: ListProps) {
  const box = useRef<HTMLTableSectionElement>(null);
  const estimateOf = (one: Combined) => estimates[one.group.rates?.[measure] ?? -1];
  const move = (event: KeyboardEvent, place: number) => {
    const to = { ArrowDown: place + 1, ArrowUp: place - 1, Home: 0, End: groups.length - 1 }[event.key];
    const one = groups[place];
    if (event.key === "Enter" && onFind && one) onFind(one);
    const other = to === undefined ? undefined : groups[to];
    if (!other) return;
    event.preventDefault();
    onChoose(keyOf(other));
    (box.current?.children[to ?? 0] as HTMLElement | undefined)?.focus();
  };
  return (
    <DataTable
      close
      wide
      label="Groups"
      rows={groups}
      keyOf={keyOf}
      body={box}
      row={(one, place) => ({
        tabIndex: one === chosen ? 0 : -1,
        "aria-selected": one === chosen,
        onClick: () => onChoose(keyOf(one)),
        onKeyDown: (event) => move(event, place),
        sx: {
          cursor: "pointer",
          bgcolor: one === chosen ? "brook.pale" : "transparent",
          opacity: few(one, measure, estimates) ? 0.75 : 1,
        },
      })}
      columns={[
        {
          head: "group",
          cell: (one) => (
            <>
              {shortOf(one)}
              {one.group.worse?.includes(measure) && (
                <Box component="span" sx={{ color: "brook.brick", fontSize: "size.note" }}>
                  {" "}
                  worse than either alone
                </Box>
              )}
              {one.group === one.reference && (
                <Box component="span" sx={{ color: "brook.muted", fontSize: "size.note" }}>
                  {" "}
                  reference
                </Box>
              )}
            </>
          ),
        },
        {
          head: "value",
          right: true,
          sx: { whiteSpace: "nowrap" },
          cell: (one) => {
            const estimate = estimateOf(one);
            return (
              <>
                {number(estimate?.value)}{" "}
                <Box component="span" sx={{ fontSize: "size.note" }}>
                  {estimate ? ends(estimate) : ""}
                </Box>
              </>
            );
          },
        },
        { head: "n", right: true, cell: (one) => count(estimateOf(one)?.n ?? one.group.n) },
        {
          head: "stands",
          right: true,
          cell: (one) => (
            <Box sx={{ display: "inline-flex", justifyContent: "flex-end", minHeight: 20, alignItems: "center" }}>
              {standingOf(one, measure, estimates) ? (
                <GaugeMark standing={standingOf(one, measure, estimates)} />
              ) : (
                <Box component="span" sx={{ fontSize: "size.note", color: "brook.muted" }}>
                  {few(one, measure, estimates) ? "few" : "–"}
                </Box>
              )}
            </Box>
          ),
        },
      ]}
    />
  );
}

/** From all rows down to the chosen group, a dot with its whisker at each rung. */
function Ladder({ one, rungs, words }: { one: Combined; rungs: readonly Rung[]; words: string }) {
  const { vars } = useTheme();
  const [width, left, plot, row] = [300, 116, 130, 20];
  const values = rungs
    .flatMap(({ estimate }) => [estimate?.value, estimate?.low, estimate?.high])
    .filter((v): v is number => typeof v === "number");
  const scale = scaleOf(values, left, plot);
  const bottom = 20 + row * rungs.length;
  const said = rungs.map((rung) => `${rung.label} ${rung.estimate ? interval(rung.estimate) : ""}`).join("; ");
  return (
    <Box>
      <Box sx={{ fontSize: "size.small", color: "text.secondary", minHeight: 34 }}>
        {words}: from all rows down to {wordsOf(one)}
      </Box>
      <svg width={width} height={bottom + 18} role="img" aria-label={`Ladder. ${said}`} style={{ display: "block" }}>
        {scale.ticks.map((tick) => (
          <g key={tick}>
            <path d={`M${scale.x(tick)} 8V${bottom}`} stroke={vars?.palette.brook.rule} />
            <text
              x={scale.x(tick)}
              y={bottom + 12}
              textAnchor="middle"
              fontSize={10}
              fill={vars?.palette.text.secondary}
            >
              {number(tick, scale.decimals)}
            </text>
          </g>
        ))}
        {rungs.map(({ label, order, n, estimate }, i) => {
          const y = 20 + row * i;
          const last = order === one.attributes.length;
          const colour = colourOf(order === 0 ? "reference" : last ? "group" : "fold");
          return (
            <g key={`${order}${label}`}>
              <title>{`${label}: ${estimate ? interval(estimate) : "–"}, n ${count(estimate?.n ?? n)}`}</title>
              <text
                x={left - 8}
                y={y + 4}
                textAnchor="end"
                fontSize={11}
                fontWeight={last ? 600 : 400}
                fill={vars?.palette.text.primary}
              >
                {label.length > 19 ? `${label.slice(0, 18)}…` : label}
              </text>
              {estimate?.value != null && (
                <>
                  {estimate.low != null && estimate.high != null && (
                    <path
                      d={`M${scale.x(estimate.low)} ${y}H${scale.x(estimate.high)}`}
                      stroke={colour}
                      strokeWidth={5}
                      strokeOpacity={0.45}
                    />
                  )}
                  <circle
                    cx={scale.x(estimate.value)}
                    cy={y}
                    r={4.2}
                    fill={colour}
                    stroke={vars?.palette.text.primary}
                    strokeWidth={0.9}
                  />
                </>
              )}
              <text x={width} y={y + 4} textAnchor="end" fontSize={10.5} fill={vars?.palette.brook.muted}>
                n {count(estimate?.n ?? n)}
              </text>
            </g>
          );
        })}
      </svg>
    </Box>
  );
}

interface MatrixProps {
  chart: Chart;
  measure: string;
  estimates: readonly Estimate[];
  chosen: Combined;
  onChoose: (key: string) => void;
}

/** Two grounds crossed: every cell its value, n and standing; a cell can be chosen. */
function Matrix({ chart, measure, estimates, chosen, onChoose }: MatrixProps) {
  const pairs = pairsOf(chart);
  const [pair, setPair] = useState(() =>
    (
      pairs.find(([a, b]) => chosen.attributes.includes(a) && chosen.attributes.includes(b)) ??
      pairs[0] ?? ["", ""]
    ).join("|"),
  );
  const [first, second] = pair.split("|") as [string, string];
  if (pairs.length === 0) return null;
  const { rows, columns, at } = matrixOf(chart, [first, second]);
  return (
    <Box sx={{ mt: 1.5, overflowX: "auto" }}>
      <Box sx={{ fontSize: "size.text" }}>
        Crossed:{" "}
        <InlineChoice
          name="Two grounds"
          value={pair}
          disabled={false}
          onSet={setPair}
          options={pairs.map(([a, b]) => [`${a}|${b}`, `${a} and ${b}`.replaceAll("_", " ")] as const)}
        />
      </Box>
      <DataTable
        close
        label={`${first} by ${second}`.replaceAll("_", " ")}
        rows={rows}
        keyOf={(row) => row}
        columns={[
          { namesRow: true, cell: (row) => levelWords(first, row) },
          ...columns.map((column) => ({
            head: levelWords(second, column),
            sx: (row: string) => {
              const one = at(row, column);
              return { bgcolor: one && keyOf(one) === keyOf(chosen) ? "brook.pale" : "transparent" };
            },
            cell: (row: string) => <Crossed one={at(row, column)} {...{ measure, estimates, onChoose }} />,
          })),
        ]}
        sx={{ "& td, & th": { border: 1, borderColor: "divider", px: 1, py: 0.25 } }}
      />
    </Box>
  );
}

interface CrossedProps {
  one: Combined | undefined;
  measure: string;
  estimates: readonly Estimate[];
  onChoose: (key: string) => void;
}

function Crossed({ one, measure, estimates, onChoose }: CrossedProps) {
  if (!one)
    return (
      <Box component="span" sx={{ fontSize: "size.note", color: "brook.muted" }}>
        no row
      </Box>
    );
  const estimate = estimates[one.group.rates?.[measure] ?? -1];
  const standing = standingOf(one, measure, estimates);
  return (
    <Box
      component="button"
      onClick={() => onChoose(keyOf(one))}
      title={estimate ? interval(estimate) : ""}
      sx={{
        all: "unset",
        cursor: "pointer",
        display: "flex",
        gap: 0.75,
        alignItems: "center",
        minHeight: 26,
        "&:focus-visible": { outline: 2, outlineColor: "primary.main" },
        opacity: few(one, measure, estimates) ? 0.75 : 1,
      }}
    >
      <Box component="span" sx={HIDDEN}>
        {wordsOf(one)}:{" "}
      </Box>
      {standing && <GaugeMark standing={standing} />}
      <b style={{ fontWeight: 560 }}>{number(estimate?.value)}</b>
      <Box component="span" sx={{ fontSize: "size.note", color: "brook.muted", whiteSpace: "nowrap" }}>
        n {count(estimate?.n ?? one.group.n)}
        {few(one, measure, estimates) ? ", few" : ""}
        {one.group === one.reference ? ", reference" : ""}
      </Box>
      {one.group.worse?.includes(measure) && (
        <Box component="span" sx={{ fontSize: "size.note", color: "brook.brick" }}>
          worse
        </Box>
      )}
    </Box>
  );
}

function numbersOf(
  chart: Chart,
  list: readonly Combined[],
  measure: string,
  estimates: readonly Estimate[],
): ChartNumbers {
  const rows = list.map((one) => {
    const estimate = estimates[one.group.rates?.[measure] ?? -1];
    return [
      wordsOf(one),
      estimate?.value ?? null,
      estimate?.low ?? null,
      estimate?.high ?? null,
      estimate?.n ?? one.group.n,
      standingOf(one, measure, estimates) ?? (few(one, measure, estimates) ? "few" : ""),
      one.group.worse?.includes(measure) ? "worse than either alone" : "",
    ];
  });
  return { columns: ["group", chart.criteria[measure] ?? measure, "low", "high", "n", "stands", ""], rows };
}
