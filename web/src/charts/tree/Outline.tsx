/** The outline of a tree: a row a node, with its condition, training and unseen share, rows and gain. Every node by keyboard. */
import { useTheme } from "@mui/material/styles";
import { memo, useEffect, useRef, useState, type KeyboardEvent } from "react";
import { count, MINUS, number } from "../../wording";
import { colourOf } from "../palette";
import { at, outcomeOf, rangeOf, type Columns, type OutlineRow, type Tree } from "./outline";

const WIDTH = 690;
const ROW = 24;
const HEAD = 38;
const STRIP = 372;
const STRIP_END = 520;
const ROWS_AT = 606;

interface OutlineProps {
  chart: Tree;
  columns: Columns;
  rows: readonly OutlineRow[];
  path: ReadonlySet<number>;
  onToggle: (node: number) => void;
  onZoom: (node: number) => void;
  onOut: () => void;
  /** Called with the node that has the focus. */
  onLook?: ((node: number) => void) | undefined;
}

export function Outline({ chart, columns, rows, path, onToggle, onZoom, onOut, onLook }: OutlineProps) {
  const { vars } = useTheme();
  const frame = useRef<SVGSVGElement>(null);
  const [at_, setAt] = useState(rows[0]?.node ?? 0);
  const focused = rows.some((row) => row.node === at_) ? at_ : (rows[0]?.node ?? 0);
  const wanted = useRef<number | null>(null);
  useEffect(() => {
    if (wanted.current === null) return;
    frame.current?.querySelector<SVGGElement>(`[data-node="${wanted.current}"]`)?.focus();
    wanted.current = null;
  });
  const goTo = (node: number | undefined | null) => {
    if (node == null) return;
    wanted.current = node;
    setAt(node);
  };
  const [low, high] = rangeOf(chart, columns);
  const x = (value: number) =>
    STRIP + ((Math.min(Math.max(value, low), high) - low) / (high - low)) * (STRIP_END - STRIP);
  const deepest = Math.max(1, ...rows.map((row) => row.depth));
  const step = Math.min(16, 190 / deepest);
  const placeOf = new Map(rows.map((row, i) => [row.node, i]));
  const press = (event: KeyboardEvent) => {
    const place = placeOf.get(focused) ?? 0;
    const row = rows[place];
    if (!row || event.ctrlKey || event.metaKey || event.altKey) return;
    const acts: Record<string, () => void> = {
      ArrowDown: () => goTo(rows[place + 1]?.node),
      ArrowUp: () => goTo(rows[place - 1]?.node),
      Home: () => goTo(rows[0]?.node),
      End: () => goTo(rows.at(-1)?.node),
      ArrowRight: () => (row.isLeaf ? undefined : row.isOpen ? goTo(rows[place + 1]?.node) : onToggle(row.node)),
      ArrowLeft: () => (row.isOpen ? onToggle(row.node) : goTo(row.parent)),
      " ": () => !row.isLeaf && onToggle(row.node),
      Enter: () => !row.isLeaf && onZoom(row.node),
      Backspace: onOut,
    };
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  };
  const height = HEAD + ROW * rows.length + 4;
  const muted = vars?.palette.text.secondary;
  const what = (chart.classes ?? []).length > 2 ? "share of its answer" : outcomeOf(chart, columns, rows[0]?.node ?? 0);
  return (
    <svg
      ref={frame}
      width="100%"
      viewBox={`0 0 ${WIDTH} ${height}`}
      role="tree"
      aria-label={chart.title}
      style={{ maxWidth: WIDTH, display: "block" }}
      onKeyDown={press}
    >
      <g fontSize={11} fill={muted}>
        <text x={4} y={14}>
          rows that
        </text>
        <text x={STRIP} y={14}>
          {what.length > 26 ? `${what.slice(0, 25)}…` : what}
        </text>
        <text x={ROWS_AT} y={14} textAnchor="end">
          training · unseen
        </text>
        <text x={WIDTH - 2} y={14} textAnchor="end">
          gain · unseen
        </text>
        {[low, (low + high) / 2, high].map((tick, i) => (
          <g key={tick}>
            <path d={`M${x(tick)} ${HEAD - 4}V${height}`} stroke={vars?.palette.brook.rule} />
            <text x={x(tick)} y={HEAD - 9} fontSize={10} textAnchor={i === 0 ? "start" : i === 1 ? "middle" : "end"}>
              {short(tick)}
            </text>
          </g>
        ))}
      </g>
      {rows.map((row, i) => (
        <Node
          key={row.node}
          chart={chart}
          columns={columns}
          row={row}
          y={HEAD + ROW * i + ROW / 2}
          indent={8 + step * row.depth}
          x={x}
          onPath={path.has(row.node)}
          parentAt={
            row.parent === null
              ? null
              : { x: 8 + step * (row.depth - 1), y: HEAD + ROW * (placeOf.get(row.parent) ?? 0) + ROW / 2 }
          }
          isFocused={row.node === focused}
          onFocus={() => {
            setAt(row.node);
            onLook?.(row.node);
          }}
          onToggle={() => !row.isLeaf && onToggle(row.node)}
        />
      ))}
    </svg>
  );
}

interface NodeProps {
  chart: Tree;
  columns: Columns;
  row: OutlineRow;
  y: number;
  indent: number;
  parentAt: { x: number; y: number } | null;
  x: (value: number) => number;
  onPath: boolean;
  isFocused: boolean;
  onFocus: () => void;
  onToggle: () => void;
}

const PER_LETTER = 6;

/** Drawn anew only when something of it is seen to change: a move of the focus concerns two of many hundred rows. */
const Node = memo(
  DrawnNode,
  (before, after) =>
    before.row === after.row &&
    before.y === after.y &&
    before.indent === after.indent &&
    before.onPath === after.onPath &&
    before.isFocused === after.isFocused &&
    before.columns === after.columns &&
    before.parentAt?.x === after.parentAt?.x &&
    before.parentAt?.y === after.parentAt?.y,
);

function DrawnNode({ chart, columns, row, y, indent, parentAt, x, onPath, isFocused, onFocus, onToggle }: NodeProps) {
  const { vars } = useTheme();
  const { node } = row;
  const splits = row.isLeaf ? null : (chart.columns[at(columns, "column", node) ?? 0] ?? null);
  const tag = splits?.mark ? (splits.mark === "protected" ? "splits on protected" : "splits on a stand-in") : "";
  const classes = chart.classes ?? [];
  const answer = classes.length > 2 ? ` · ${classes[at(columns, "answer", node) ?? 0] ?? ""}` : "";
  const room = Math.floor((STRIP - 14 - indent - 12 - tag.length * 5.2) / PER_LETTER);
  const words = row.words + answer;
  const gains = [at(columns, "gain", node), at(columns, "unseen_gain", node)];
  const ink = vars?.palette.text.primary;
  const muted = vars?.palette.brook.muted;
  const said = `${words}. ${told(columns, node, "share", "low", "high", "training", "training rows")}; ${told(columns, node, "unseen_share", "unseen_low", "unseen_high", "unseen", "unseen rows")}${splits ? `. Splits on ${splits.words}${splits.mark ? `, ${splits.mark}` : ""}` : ""}${row.endsHere ? ". Pruned to a leaf here" : row.isCut ? ". Pruned away" : ""}`;
  return (
    <g
      role="treeitem"
      aria-label={said}
      aria-level={row.depth + 1}
      aria-expanded={row.isLeaf ? undefined : row.isOpen}
      aria-selected={onPath}
      tabIndex={isFocused ? 0 : -1}
      data-node={node}
      onFocus={onFocus}
      onClick={onToggle}
      opacity={row.isCut ? 0.45 : 1}
      style={{ cursor: row.isLeaf ? "default" : "pointer", outlineOffset: -2 }}
    >
      <title>{said}</title>
      <rect x={0} y={y - ROW / 2} width={WIDTH} height={ROW} fill={onPath ? vars?.palette.brook.pale : "transparent"} />
      {parentAt && (
        <path
          d={`M${parentAt.x} ${parentAt.y + 7}V${y}H${indent - 6}`}
          fill="none"
          stroke={onPath ? vars?.palette.primary.main : vars?.palette.divider}
          strokeWidth={onPath ? 2 : 1}
          strokeDasharray={row.isCut ? "2 2" : undefined}
        />
      )}
      {row.isLeaf ? (
        <rect x={indent - 3} y={y - 3} width={6} height={6} fill={ink} />
      ) : (
        <g>
          <circle cx={indent} cy={y} r={5.5} fill={vars?.palette.background.default} stroke={ink} />
          <path d={row.isOpen ? `M${indent - 3} ${y}h6` : `M${indent - 3} ${y}h6M${indent} ${y - 3}v6`} stroke={ink} />
        </g>
      )}
      <text x={indent + 11} y={y + 4} fontSize={12} fill={ink} fontWeight={row.isLeaf || row.endsHere ? 600 : 400}>
        {words.length > room ? `${words.slice(0, Math.max(room - 1, 3))}…` : words}
      </text>
      {tag && (
        <text x={STRIP - 12} y={y + 4} fontSize={10.5} textAnchor="end" fill={vars?.palette.brook.ochre}>
          {tag}
        </text>
      )}
      <Share
        columns={columns}
        node={node}
        names={["share", "low", "high"]}
        colour={colourOf("training")}
        y={y - 3.5}
        x={x}
      />
      <Share
        columns={columns}
        node={node}
        names={["unseen_share", "unseen_low", "unseen_high"]}
        colour={colourOf("out_of_fold")}
        y={y + 3.5}
        x={x}
      />
      <text x={ROWS_AT} y={y + 4} fontSize={11} textAnchor="end" fill={muted}>
        {count(at(columns, "training", node) ?? 0)} · {count(at(columns, "unseen", node) ?? 0)}
      </text>
      {gains[0] !== null && (
        <text
          x={WIDTH - 2}
          y={y + 4}
          fontSize={11}
          textAnchor="end"
          fill={(gains[1] ?? 0) < 0 ? vars?.palette.brook.brick : muted}
        >
          {short(gains[0] ?? 0)} · {gains[1] == null ? "–" : short(gains[1])}
        </text>
      )}
    </g>
  );
}

function Share({
  columns,
  node,
  names,
  colour,
  y,
  x,
}: {
  columns: Columns;
  node: number;
  names: [string, string, string];
  colour: string;
  y: number;
  x: (value: number) => number;
}) {
  const { vars } = useTheme();
  const [value, low, high] = [at(columns, names[0], node), at(columns, names[1], node), at(columns, names[2], node)];
  if (value === null) return null;
  return (
    <g>
      {low != null && high != null && (
        <path d={`M${x(low)} ${y}H${x(high)}`} stroke={colour} strokeWidth={3} strokeOpacity={0.5} />
      )}
      <circle cx={x(value)} cy={y} r={3.2} fill={colour} stroke={vars?.palette.text.primary} strokeWidth={0.8} />
    </g>
  );
}

function told(
  columns: Columns,
  node: number,
  share: string,
  low: string,
  high: string,
  rows: string,
  words: string,
): string {
  const [value, least, most] = [at(columns, share, node), at(columns, low, node), at(columns, high, node)];
  const n = `${count(at(columns, rows, node) ?? 0)} ${words}`;
  return value == null
    ? n
    : `${number(value)}${least != null && most != null ? ` [${number(least)}, ${number(most)}]` : ""} of ${n}`;
}

/** A gain or a tick in few digits. */
function short(value: number): string {
  const size = Math.abs(value);
  const written =
    size === 0 ? "0" : size < 0.0005 ? "≈ 0" : size < 1 ? value.toFixed(3) : String(Number(value.toPrecision(3)));
  return written.replace(/\.?0+$/, (zeros) => (written.includes(".") ? "" : zeros)).replace("-", MINUS);
}
