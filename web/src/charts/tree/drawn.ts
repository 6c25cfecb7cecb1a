/** Where the boxes of a small tree stand when it is drawn from the root down: leaves side by side, parents above. */
import { childrenOf, endsAt, isLeaf, type Columns } from "./outline";

export interface Box {
  node: number;
  depth: number;
  /** In box widths from the left: a whole number for a leaf, halfway between its children for any other. */
  across: number;
  parent: number | null;
  isLeft: boolean;
}

const MOST_LEAVES = 12;
const MOST_DEPTH = 5;

/** Whether a box is a leaf: of the tree, or where pruning ends it. */
export const endsIn = (columns: Columns, node: number, cut: number | null) =>
  isLeaf(columns, node) || endsAt(columns, node, cut);

/** The boxes of a tree, pruned at a strength or whole, the root first; null where it is too large to be read so. */
export function boxesOf(columns: Columns, cut: number | null = null): Box[] | null {
  const found: Box[] = [];
  let leaves = 0;
  let deepest = 0;
  const below = (node: number, depth: number, parent: number | null, isLeft: boolean): number => {
    deepest = Math.max(deepest, depth);
    const box = { node, depth, across: 0, parent, isLeft };
    found.push(box);
    if (leaves > MOST_LEAVES || deepest > MOST_DEPTH) return 0;
    if (endsIn(columns, node, cut)) {
      box.across = leaves;
      leaves += 1;
    } else {
      const sides = childrenOf(columns, node).map((child, i) => below(child, depth + 1, node, i === 0));
      box.across = ((sides[0] ?? 0) + (sides[1] ?? 0)) / 2;
    }
    return box.across;
  };
  if (!columns.left?.length) return null;
  below(0, 0, null, true);
  return leaves <= MOST_LEAVES && deepest <= MOST_DEPTH ? found : null;
}
