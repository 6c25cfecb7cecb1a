/** Rates of groups along the threshold, from counts alone. */
import { number } from "../../wording";
import type { Exhibit, Schemas } from "../../api/client";

export type Columns = Record<string, (number | null)[]>;

export const RATES = {
  selected: "share selected",
  tpr: "TPR",
  fpr: "FPR",
  ppv: "PPV",
} as const;
export type Rate = keyof typeof RATES;

interface Counts {
  tp: number;
  fp: number;
  fn: number;
  tn: number;
}

/** The counts of a group at a place of the grid. */
export function countsAt(columns: Columns, place: number): Counts {
  const at = (name: string) => columns[name]?.[place] ?? 0;
  return { tp: at("tp"), fp: at("fp"), fn: at("fn"), tn: at("tn") };
}

/** Of several groups together. */
export function together(groups: readonly Counts[]): Counts {
  const sum = (cell: keyof Counts) => groups.reduce((total, one) => total + one[cell], 0);
  return { tp: sum("tp"), fp: sum("fp"), fn: sum("fn"), tn: sum("tn") };
}

/** A rate at a place of the grid; null where its denominator is 0. */
export const rateAt = (columns: Columns, place: number, rate: Rate): number | null =>
  rateOf(countsAt(columns, place), rate);

/** A rate of counts; null where its denominator is 0. */
export function rateOf({ tp, fp, fn, tn }: Counts, rate: Rate): number | null {
  const [top, bottom] = {
    selected: [tp + fp, tp + fp + fn + tn],
    tpr: [tp, tp + fn],
    fpr: [fp, fp + tn],
    ppv: [tp, tp + fp],
  }[rate] as [number, number];
  return bottom > 0 ? top / bottom : null;
}

/** The series of those that a group is set against: the reference, or everyone else whose level is recorded. */
export function othersIn(chart: Schemas["GroupThresholds"], name: string): string[] {
  if (chart.reference !== null) return [chart.reference];
  return Object.keys(chart.groups).filter((other) => other !== name && other !== chart.unrecorded);
}

/** The grid of a series: its thresholds in rising order. */
export function gridOf(series: Exhibit["series"], name: string): number[] {
  return (series?.[name]?.threshold ?? []).map((value) => value ?? 0);
}

/** The place of the threshold nearest to the one wanted. */
export function nearest(grid: readonly number[], wanted: number): number {
  return grid.reduce(
    (best, value, i) => (Math.abs(value - wanted) < Math.abs((grid[best] ?? 0) - wanted) ? i : best),
    0,
  );
}

/** Whether a comparison keeps its limit by value alone; null where there is no value. */
export function keeps(
  limit: { at_least?: number | null; at_most?: number | null },
  value: number | null,
): boolean | null {
  if (value === null) return null;
  return (limit.at_least ?? -Infinity) <= value && value <= (limit.at_most ?? Infinity);
}

type Whose = NonNullable<Schemas["ThresholdChart"]["whose"]>;

/** How a threshold stands to the submitted one, in brackets after it. */
export function besideSubmitted(threshold: number, submitted: number | null, whose: Whose = "submitted"): string {
  if (submitted === null) return " (none was submitted)";
  if (whose === "plan's") return threshold === submitted ? " (as planned)" : ` (planned: ${number(submitted)})`;
  return threshold === submitted ? " (as submitted)" : ` (submitted: ${number(submitted)})`;
}
