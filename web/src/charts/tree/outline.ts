/** A fitted tree as an outline: which rows are seen, what leads to each, and every leaf in words. No picture here. */
import type { Schemas } from "../../api/client";
import { MINUS } from "../../wording";

export type Tree = Schemas["TreeChart"];
export type Columns = Record<string, (number | null)[]>;

const LEAF = -1;

/** A node as it is seen: how deep it lies under the root that is looked at, and the condition that leads to it. */
export interface OutlineRow {
  node: number;
  depth: number;
  words: string;
  isLeaf: boolean;
  isOpen: boolean;
  /** Pruning takes it away. */
  isCut: boolean;
  /** Pruning makes a leaf of it. */
  endsHere: boolean;
  parent: number | null;
}

export interface Look {
  root: number;
  /** Nodes less deep than this are open, but for those toggled. */
  depth: number;
  toggled: ReadonlySet<number>;
  /** The strength of pruning; null prunes nothing. */
  cut: number | null;
  /** Leaves out what pruning takes away, instead of showing it faintly. */
  hideCut: boolean;
}

export const at = (columns: Columns, name: string, node: number): number | null => columns[name]?.[node] ?? null;

export const isLeaf = (columns: Columns, node: number) => (at(columns, "left", node) ?? LEAF) < 0;

export function childrenOf(columns: Columns, node: number): number[] {
  return isLeaf(columns, node) ? [] : [at(columns, "left", node) ?? 0, at(columns, "right", node) ?? 0];
}

/** The depth of every node under the root, and its parent; shape (nodes,). */
export function placesOf(columns: Columns): { depths: number[]; parents: (number | null)[] } {
  const count = columns.left?.length ?? 0;
  const depths = new Array<number>(count).fill(0);
  const parents = new Array<number | null>(count).fill(null);
  const open = count ? [0] : [];
  while (open.length) {
    const node = open.pop() as number;
    for (const child of childrenOf(columns, node)) {
      depths[child] = (depths[node] ?? 0) + 1;
      parents[child] = node;
      open.push(child);
    }
  }
  return { depths, parents };
}

/** What holds of the rows that go left (at or under the threshold) or right. */
export function condition(column: Schemas["TreeColumn"], threshold: number, left: boolean): string {
  if (column.kind === "level") {
    if (column.words.endsWith(" is missing"))
      return left ? column.words.replace(/ is missing$/, " is there") : column.words;
    return left ? column.words.replace(" = ", " ≠ ") : column.words;
  }
  if (column.kind === "code") {
    const named = (column.levels ?? []).filter((_, code) => code <= threshold === left);
    const more = named.length > 3 ? ` and ${named.length - 3} more` : "";
    return `${column.words} in ${named.slice(0, 3).join(", ")}${more}`;
  }
  const words = column.kind === "encoded" ? `mean outcome of ${column.words}` : column.words;
  return `${words} ${left ? "≤" : ">"} ${String(Number(threshold.toPrecision(6))).replace("-", MINUS)}`;
}

function leadsTo(chart: Tree, columns: Columns, parent: number, left: boolean): string {
  const column = chart.columns[at(columns, "column", parent) ?? 0];
  return column ? condition(column, at(columns, "threshold", parent) ?? 0, left) : "";
}

/** Whether pruning makes a leaf of an inner node. */
export function endsAt(columns: Columns, node: number, cut: number | null): boolean {
  const strength = at(columns, "strength", node);
  // Values along the dial are written to six digits; the rounding must not keep a link that is due.
  return cut !== null && strength !== null && !isLeaf(columns, node) && strength <= cut * (1 + 1e-5) + 1e-12;
}

/** The rows that are seen, from the root that is looked at down, left before right. */
export function outlineOf(chart: Tree, columns: Columns, look: Look): OutlineRow[] {
  const found: OutlineRow[] = [];
  const below = (node: number, depth: number, words: string, isCut: boolean, parent: number | null) => {
    const leaf = isLeaf(columns, node);
    const endsHere = !isCut && endsAt(columns, node, look.cut);
    const canOpen = !leaf && !(look.hideCut && endsHere);
    const isOpen = canOpen && depth < look.depth !== look.toggled.has(node);
    found.push({ node, depth, words, isLeaf: !canOpen, isOpen, isCut, endsHere, parent });
    if (!isOpen) return;
    childrenOf(columns, node).forEach((child, i) =>
      below(child, depth + 1, leadsTo(chart, columns, node, i === 0), isCut || endsHere, node),
    );
  };
  if (columns.left?.length)
    below(
      look.root,
      0,
      look.root === 0 ? "all rows" : conditionsTo(chart, columns, look.root).join(" and "),
      false,
      null,
    );
  return found;
}

/** The conditions from the root to a node. */
export function conditionsTo(
  chart: Tree,
  columns: Columns,
  node: number,
  parents = placesOf(columns).parents,
): string[] {
  const found: string[] = [];
  for (let here = node; parents[here] != null;) {
    const parent = parents[here] as number;
    found.unshift(leadsTo(chart, columns, parent, at(columns, "left", parent) === here));
    here = parent;
  }
  return found;
}

/** The leaves as they stand after pruning, in the order of the outline. */
export function leavesOf(columns: Columns, cut: number | null): number[] {
  const found: number[] = [];
  const open = columns.left?.length ? [0] : [];
  while (open.length) {
    const node = open.pop() as number;
    const children = endsAt(columns, node, cut) ? [] : childrenOf(columns, node);
    if (children.length === 0) found.push(node);
    else open.push(...children.reverse());
  }
  return found;
}

/** What the outcome is in a node, in words: a share of rows, or a mean. */
export function outcomeOf(chart: Tree, columns: Columns, node: number): string {
  const classes = chart.classes ?? [];
  if (classes.length === 0) return `mean ${chart.outcome}`;
  return `share of ${classes.length > 2 ? (classes[at(columns, "answer", node) ?? 0] ?? "") : chart.outcome}`;
}

/** A line a leaf: what leads to it, and what is in it. */
export function sentencesOf(chart: Tree, columns: Columns, cut: number | null): string[] {
  const { parents } = placesOf(columns);
  return leavesOf(columns, cut).map((node) => {
    const conditions = conditionsTo(chart, columns, node, parents);
    const told = (share: string, rows: string) =>
      `${at(columns, share, node) === null ? "no value" : Number((at(columns, share, node) ?? 0).toPrecision(4))} of ${at(columns, rows, node) ?? 0}`;
    return `if ${conditions.length ? conditions.join(" and ") : "anything"}: ${outcomeOf(chart, columns, node)} ${told("share", "training")} training rows, ${told("unseen_share", "unseen")} unseen`;
  });
}

/** The toggled nodes with those of a path open; ``within`` says which are open of themselves. */
export function openedAlong(
  path: ReadonlySet<number>,
  toggled: ReadonlySet<number>,
  within: (node: number) => boolean,
): ReadonlySet<number> {
  const all = new Set(toggled);
  for (const node of path) {
    if (within(node)) all.delete(node);
    else all.add(node);
  }
  return path.size ? all : toggled;
}

/** How many levels can be open at first, so that the rows fit a screen or so. */
export function firstDepth(columns: Columns, most = 34): number {
  const { depths } = placesOf(columns);
  const deepest = Math.max(0, ...depths);
  let depth = 0;
  let rows = 1;
  while (depth < deepest) {
    const next = depths.filter((d) => d === depth + 1).length;
    if (rows + next > most) break;
    rows += next;
    depth += 1;
  }
  return Math.max(1, depth);
}

/** The range that shares (0 to 1) or means are drawn on. */
export function rangeOf(chart: Tree, columns: Columns): [number, number] {
  if ((chart.classes ?? []).length > 0) return [0, 1];
  const known = ["share", "unseen_share"].flatMap((name) =>
    (columns[name] ?? []).filter((value): value is number => value !== null),
  );
  const [low, high] = [Math.min(...known), Math.max(...known)];
  return high > low ? [low, high] : [low - 0.5, high + 0.5];
}
