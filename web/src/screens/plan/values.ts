/** Values in a plan by their path: what a field of a sentence sets, whatever check it belongs to. */
import type { Plan, Schemas } from "../../api/client";

export type Sentence = Schemas["Sentence"];
export type Part = Sentence["parts"][number];
export type Line = NonNullable<Sentence["before"]>[number];
export type Value = string | number | boolean | null | object;

/** What a field of any kind is given: its value, whether it is out of use, and how another value is set. */
export interface FieldProps<T> {
  field: T;
  off: boolean;
  onSet: (path: readonly string[], value: Value, mirror?: readonly string[] | null) => void;
}

type Tree = { [key: string]: unknown };

/** The plan with a value at a path; null takes the last key out. Nothing of the plan given is changed. */
export function withValue(plan: Plan, path: readonly string[], value: Value): Plan {
  return put(plan as unknown as Tree, path, value) as unknown as Plan;
}

function put(tree: Tree, path: readonly string[], value: Value): Tree {
  const [key, ...rest] = path;
  if (key === undefined) return tree;
  if (rest.length > 0) {
    const inner = tree[key];
    return { ...tree, [key]: put(typeof inner === "object" && inner !== null ? (inner as Tree) : {}, rest, value) };
  }
  if (value !== null) return { ...tree, [key]: value };
  return Object.fromEntries(Object.entries(tree).filter(([name]) => name !== key));
}

/** The plan with a check on or off. */
export function withCheck(plan: Plan, check: string, on: boolean): Plan {
  return { ...plan, checks: on ? [...plan.checks, check] : plan.checks.filter((one) => one !== check) };
}

/** The plan with a statement due or not. */
export function withStatement(plan: Plan, name: string, on: boolean): Plan {
  const due = (plan.statements ?? []).filter((one) => one !== name);
  return { ...plan, statements: on ? [...due, name] : due };
}

/** Settings written as `depth 3, leaves 8`; null where a pair has no value. Numbers are read as such. */
export function settingsIn(text: string): Record<string, string | number> | null {
  const found: Record<string, string | number> = {};
  for (const pair of text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean)) {
    const [, name, value] = /^(.*\S)[\s=:]+(\S+)$/.exec(pair) ?? [];
    if (!name || !value) return null;
    found[name.trim().replaceAll(" ", "_")] = Number.isFinite(Number(value)) ? Number(value) : value;
  }
  return found;
}

/** Every two groups, those that stand side by side first. */
export function neighbours(levels: readonly string[]): [string, string][] {
  const pairs = levels.flatMap((one, i) =>
    levels.slice(i + 1).map((other, j): [number, [string, string]] => [j, [one, other]]),
  );
  return pairs.sort((a, b) => a[0] - b[0]).map(([, pair]) => pair);
}
