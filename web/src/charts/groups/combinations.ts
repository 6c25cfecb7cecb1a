/** Groups that grounds make together: as a list with the worst first, as cells of a matrix, as rungs from the whole down. */
import type { Estimate, Schemas } from "../../api/client";
import { isFew, rank, worstOf, type Standing } from "./standing";

type Chart = Schemas["CombinationChart"];
type CombinedGroup = Schemas["CombinedGroup"];

/** A group with the grounds it is of. */
export interface Combined {
  attributes: readonly string[];
  group: CombinedGroup;
  /** The group that all others of these grounds are set against; null where each is set against everyone else. */
  reference: CombinedGroup | null;
}

const BARE = new Set(["yes", "no", "true", "false", "y", "n", "0", "1", "not recorded"]);

/** A level by itself where it says what it is of; a bare yes or no with its ground. */
export function levelWords(attribute: string, level: string): string {
  return BARE.has(level.toLowerCase()) ? `${attribute.replaceAll("_", " ")} ${level}` : level;
}

export const shortOf = (one: { attributes: readonly string[]; group: CombinedGroup }) =>
  one.attributes.map((name, i) => levelWords(name, one.group.levels[i] ?? "")).join(", ");

export const keyOf = (one: Combined) =>
  one.attributes.map((name, i) => `${name}=${one.group.levels[i] ?? ""}`).join("|");

/** The group that a key names, by ground; undefined where it names none. */
export function groupIn(key: string): Record<string, string> | undefined {
  const pairs = key
    .split("|")
    .filter((pair) => pair.includes("="))
    .map((pair) => [pair.slice(0, pair.indexOf("=")), pair.slice(pair.indexOf("=") + 1)] as const);
  return pairs.length > 0 ? Object.fromEntries(pairs) : undefined;
}

export const wordsOf = (one: Combined) =>
  one.attributes.map((name, i) => `${name.replaceAll("_", " ")} ${one.group.levels[i] ?? ""}`).join(", ");

/** Every group of these combinations. */
export function groupsOf(combinations: readonly Schemas["Combination"][]): Combined[] {
  return combinations.flatMap(({ attributes, groups, reference }) =>
    groups.map((group) => ({ attributes, group, reference: reference === null ? null : (groups[reference] ?? null) })),
  );
}

export function standingOf(one: Combined, measure: string, estimates: readonly Estimate[]): Standing | null {
  return worstOf(one.group.judged?.[measure] ?? [], estimates);
}

/** By one criterion: worse than either ground alone first, then the worst standing, then the farthest from the reference, or from all rows where there is none; too small last. */
export function ranked(chart: Chart, measure: string, estimates: readonly Estimate[]): Combined[] {
  const far = (one: Combined) => {
    const [own, usual] = [one.group, one.reference ?? chart.whole].map(
      (group) => estimates[group.rates?.[measure] ?? -1]?.value ?? null,
    );
    return own === null || usual == null ? 0 : Math.abs((own ?? 0) - usual);
  };
  const place = (one: Combined) =>
    [
      one.group.worse?.includes(measure) ? 0 : 1,
      few(one, measure, estimates) ? 1 : 0,
      rank(standingOf(one, measure, estimates)),
    ] as const;
  return groupsOf(chart.combinations).sort((a, b) => {
    const [p, q] = [place(a), place(b)];
    return p[0] - q[0] || p[1] - q[1] || p[2] - q[2] || far(b) - far(a);
  });
}

export function few(one: Combined, measure: string, estimates: readonly Estimate[]): boolean {
  return isFew(estimates[one.group.rates?.[measure] ?? -1]);
}

/** A rung of the ladder from all rows down to a group: what it is called, how many grounds it names, its estimate. */
export interface Rung {
  label: string;
  order: number;
  n: number;
  estimate: Estimate | undefined;
}

/** All rows, then every group that shares some of the group's levels, then the group itself. */
export function ladderOf(chart: Chart, one: Combined, measure: string, estimates: readonly Estimate[]): Rung[] {
  const own = new Map(one.attributes.map((name, i) => [name, one.group.levels[i]]));
  const shares = (other: Combined) => other.attributes.every((name, i) => own.get(name) === other.group.levels[i]);
  const rung = (label: string, order: number, group: CombinedGroup): Rung => ({
    label,
    order,
    n: group.n,
    estimate: estimates[group.rates?.[measure] ?? -1],
  });
  const wider = groupsOf([...chart.singles, ...chart.combinations]).filter(
    (other) => other.attributes.length <= own.size && shares(other),
  );
  return [
    rung("all rows", 0, chart.whole),
    ...wider
      .map((other) => rung(shortOf(other), other.attributes.length, other.group))
      .sort((a, b) => a.order - b.order),
  ];
}

/** The pairs of grounds that can be crossed in a matrix. */
export function pairsOf(chart: Chart): (readonly [string, string])[] {
  return chart.combinations
    .filter((one) => one.attributes.length === 2)
    .map((one) => [one.attributes[0] as string, one.attributes[1] as string] as const);
}

/** The groups of a pair of grounds, by the levels of the first and of the second. */
export function matrixOf(
  chart: Chart,
  pair: readonly [string, string],
): { rows: string[]; columns: string[]; at: (row: string, column: string) => Combined | undefined } {
  const found = groupsOf(
    chart.combinations.filter(
      (one) => one.attributes.length === 2 && one.attributes[0] === pair[0] && one.attributes[1] === pair[1],
    ),
  );
  const levels = (place: number) => {
    const single = chart.singles.find((one) => one.attributes[0] === pair[place]);
    // The order of the data's own levels: a reference was put first.
    const names = single?.groups.map((group) => group.levels[0] ?? "") ?? [];
    return [...names].sort((a, b) => a.localeCompare(b, "en", { numeric: true }));
  };
  return {
    rows: levels(0),
    columns: levels(1),
    at: (row, column) => found.find((one) => one.group.levels[0] === row && one.group.levels[1] === column),
  };
}
