/** Where the boxes of a small tree stand when it is drawn from the root down: leaves side by side, parents above. */
import { childrenOf, isLeaf, type Columns } from "./outline";

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

/** The boxes, the root first; null for a tree that is too large to be read so. */
export function boxesOf(columns: Columns): Box[] | null {
  const found: Box[] = [];
  let leaves = 0;
  let deepest = 0;
  const below = (node: number, depth: number, parent: number | null, isLeft: boolean): number => {
    deepest = Math.max(deepest, depth);
    const box = { node, depth, across: 0, parent, isLeft };
    found.push(box);
    if (isLeaf(columns, node)) {
      box.across = leaves;
      leaves += 1;
    } else {
      const sides = childrenOf(columns, node).map((child, i) => below(child, depth + 1, node, i === 0));
      box.across = ((sides[0] ?? 0) + (sides[1] ?? 0)) / 2;
    }
    return box.across;
  };
  if (!columns.left?.length || columns.left.length > 2 * MOST_LEAVES - 1) return null;
  below(0, 0, null, true);
  return leaves <= MOST_LEAVES && deepest <= MOST_DEPTH ? found : null;
}
