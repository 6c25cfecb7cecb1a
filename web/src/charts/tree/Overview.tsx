/** The whole tree in a hand's breadth: every node as wide as its training rows, and the redder the further unseen rows lie from them. */
import { useTheme } from "@mui/material/styles";
import { useMemo } from "react";
import { at, childrenOf, rangeOf, type Columns, type Tree } from "./outline";

const WIDTH = 690;
const HEIGHT = 78;
const THINNEST = 0.4;

interface Block {
  node: number;
  x: number;
  width: number;
  depth: number;
  apart: number | null;
}

interface OverviewProps {
  chart: Tree;
  columns: Columns;
  root: number;
  path: ReadonlySet<number>;
  onZoom: (node: number) => void;
}

export function Overview({ chart, columns, root, path, onZoom }: OverviewProps) {
  const { vars } = useTheme();
  const blocks = useMemo(() => blocksOf(chart, columns), [chart, columns]);
  const levels = Math.max(...blocks.map((block) => block.depth)) + 1;
  const tall = HEIGHT / levels;
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${WIDTH} ${HEIGHT + 2}`}
      style={{ maxWidth: WIDTH, display: "block" }}
      aria-hidden="true"
    >
      {blocks.map((block) => (
        <rect
          key={block.node}
          x={block.x}
          y={1 + block.depth * tall}
          width={Math.max(block.width - (block.width > 3 ? 0.6 : 0), THINNEST)}
          height={Math.max(tall - (tall > 3 ? 0.6 : 0), 0.6)}
          fill={block.apart === null ? vars?.palette.divider : vars?.palette.brook.brick}
          fillOpacity={block.apart === null ? 1 : 0.08 + 0.84 * Math.min(1, block.apart)}
          stroke={
            block.node === root
              ? vars?.palette.primary.main
              : path.has(block.node)
                ? vars?.palette.text.primary
                : "none"
          }
          strokeWidth={block.node === root ? 1.6 : 1}
          style={{ cursor: "pointer" }}
          onClick={() => onZoom(block.node)}
        />
      ))}
    </svg>
  );
}

/** Where every node lies, and how far apart its two shares are as a share of the range; null where no unseen row comes. */
export function blocksOf(chart: Tree, columns: Columns): Block[] {
  const [low, high] = rangeOf(chart, columns);
  const found: Block[] = [];
  const place = (node: number, x: number, width: number, depth: number) => {
    const [seen, unseen] = [at(columns, "share", node), at(columns, "unseen_share", node)];
    found.push({
      node,
      x,
      width,
      depth,
      apart: seen === null || unseen === null ? null : Math.abs(seen - unseen) / (high - low),
    });
    let from = x;
    for (const child of childrenOf(columns, node)) {
      const share = width * ((at(columns, "training", child) ?? 0) / Math.max(1, at(columns, "training", node) ?? 1));
      place(child, from, share, depth + 1);
      from += share;
    }
  };
  if (columns.left?.length) place(0, 0, WIDTH, 0);
  return found;
}
