/** Rates of groups along the threshold, from counts alone. */
import type { Exhibit } from "../../api/client";

export type Columns = Record<string, (number | null)[]>;

export const RATES = {
  selected: "share selected",
  tpr: "TPR",
  fpr: "FPR",
  ppv: "PPV",
} as const;
export type Rate = keyof typeof RATES;

/** A rate at a place of the grid; null where its denominator is 0. */
export function rateAt(columns: Columns, place: number, rate: Rate): number | null {
  const at = (name: string) => columns[name]?.[place] ?? 0;
  const [tp, fp, fn, tn] = [at("tp"), at("fp"), at("fn"), at("tn")];
  const [top, bottom] = {
    selected: [tp + fp, tp + fp + fn + tn],
    tpr: [tp, tp + fn],
    fpr: [fp, fp + tn],
    ppv: [tp, tp + fp],
  }[rate] as [number, number];
  return bottom > 0 ? top / bottom : null;
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
