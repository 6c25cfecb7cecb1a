/** A small tree from its root down: in every box what it splits on, its share in training and unseen rows, and how many. */
import { useTheme } from "@mui/material/styles";
import { count, number } from "../../wording";
import { colourOf } from "../palette";
import { boxesOf, endsIn } from "./drawn";
import { at, condition, outcomeOf, type Columns, type Tree } from "./outline";

const BOX = 128;
const HIGH = 58;
const GAP_X = 10;
const GAP_Y = 34;

interface DrawnTreeProps {
  chart: Tree;
  columns: Columns;
  /** The strength of pruning; null prunes nothing. */
  cut: number | null;
}

export function DrawnTree({ chart, columns, cut: pruned }: DrawnTreeProps) {
  const { vars } = useTheme();
  const boxes = boxesOf(columns, pruned);
  if (!boxes) return null;
  const leaves = Math.max(...boxes.map((box) => box.across)) + 1;
  const deep = Math.max(...boxes.map((box) => box.depth));
  const width = leaves * (BOX + GAP_X) + GAP_X;
  const height = (deep + 1) * (HIGH + GAP_Y) - GAP_Y + 4;
  const left = (across: number) => GAP_X + across * (BOX + GAP_X);
  const top = (depth: number) => 2 + depth * (HIGH + GAP_Y);
  const placed = new Map(boxes.map((box) => [box.node, box]));
  const ink = vars?.palette.text.primary;
  const muted = vars?.palette.text.secondary;
  return (
    <div style={{ overflowX: "auto", marginBlock: 8 }}>
      <svg
        width={width}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
        role="img"
        aria-label={`${chart.title}, drawn from the root down; the outline below says the same`}
        style={{ font: "11px 'Inter Variable', sans-serif", display: "block", maxWidth: leaves <= 5 ? "100%" : "none" }}
      >
        {boxes.map((box) => {
          const parent = box.parent === null ? undefined : placed.get(box.parent);
          if (!parent) return null;
          const [x, y] = [left(box.across) + BOX / 2, top(box.depth)];
          const [px, py] = [left(parent.across) + BOX / 2, top(parent.depth) + HIGH];
          return (
            <g key={`to ${box.node}`}>
              <path d={`M${px} ${py}V${py + GAP_Y / 2}H${x}V${y}`} fill="none" stroke={vars?.palette.divider} />
              <text x={x + (box.isLeft ? -5 : 5)} y={y - 5} textAnchor={box.isLeft ? "end" : "start"} fill={muted}>
                {box.isLeft ? "so" : "not"}
              </text>
            </g>
          );
        })}
        {boxes.map((box) => {
          const leaf = endsIn(columns, box.node, pruned);
          const column = chart.columns[at(columns, "column", box.node) ?? -1];
          const words =
            leaf || !column
              ? outcomeOf(chart, columns, box.node)
              : condition(column, at(columns, "threshold", box.node) ?? 0, true);
          const [x, y] = [left(box.across), top(box.depth)];
          return (
            <g key={box.node} data-node={box.node}>
              <title>{words}</title>
              <rect
                x={x}
                y={y}
                width={BOX}
                height={HIGH}
                rx={leaf ? 0 : 5}
                fill={leaf ? vars?.palette.brook.pale : vars?.palette.background.default}
                stroke={ink}
              />
              <text x={x + BOX / 2} y={y + 15} textAnchor="middle" fill={ink} fontWeight={leaf ? 600 : 500}>
                {cut(words, 21)}
              </text>
              <Side box={[x, y + 32]} colour={colourOf("training")} columns={columns} node={box.node} of="training" />
              <Side box={[x, y + 49]} colour={colourOf("out_of_fold")} columns={columns} node={box.node} of="unseen" />
            </g>
          );
        })}
      </svg>
    </div>
  );
}

interface SideProps {
  box: [number, number];
  colour: string;
  columns: Columns;
  node: number;
  of: "training" | "unseen";
}

function Side({ box: [x, y], colour, columns, node, of }: SideProps) {
  const { vars } = useTheme();
  const share = at(columns, of === "training" ? "share" : "unseen_share", node);
  return (
    <>
      <circle cx={x + 10} cy={y - 4} r={3.5} fill={colour} stroke={vars?.palette.text.primary} />
      <text x={x + 19} y={y} fill={vars?.palette.text.primary}>
        {share === null ? "–" : number(share, 2)}
      </text>
      <text x={x + BOX - 8} y={y} textAnchor="end" fill={vars?.palette.text.secondary}>
        n {count(at(columns, of, node) ?? 0)}
      </text>
    </>
  );
}

const cut = (words: string, most: number) => (words.length > most ? `${words.slice(0, most - 1)}…` : words);
