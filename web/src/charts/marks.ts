/** Scales of a figure that is composed of marks. */
import type { Exhibit, Schemas } from "../api/client";
import { number } from "../wording";

type Chart = Schemas["MarksChart"];
type Columns = Record<string, (number | null)[]>;

export interface Scale {
  at: (value: number) => number;
  from: (pixel: number) => number;
  ticks: { at: number; label: string }[];
}

export const columnOf = (columns: Columns, name: string | undefined): (number | null)[] =>
  name === undefined ? [] : (columns[name] ?? []);

/** Rows of numbers of these columns, in runs without a gap: what is not there is not drawn, least of all as 0. */
export function rowsOf<const N extends readonly (string | undefined)[]>(
  columns: Columns,
  names: N,
): { [K in keyof N]: number }[][] {
  type Row = { [K in keyof N]: number };
  const taken = names.map((name) => columnOf(columns, name));
  const runs: Row[][] = [];
  let open = false;
  for (let i = 0; i < (taken[0]?.length ?? 0); i++) {
    const row = taken.map((column) => column[i] ?? null);
    const whole = row.every((value) => value !== null);
    if (whole && !open) runs.push([]);
    if (whole) runs.at(-1)!.push(row as unknown as Row);
    open = whole;
  }
  return runs;
}

/** The scale of an axis, from the pixel of its low end to that of its high end: its categories, or from what is drawn. */
export function axisOf(chart: Chart, series: Exhibit["series"], which: "x" | "y", from: number, to: number): Scale {
  const axis = chart[which];
  const categories = axis.categories ?? [];
  const drawn = chart.marks.flatMap((mark) => valuesOf(mark, series, which));
  let low = categories.length > 0 ? -0.5 : (axis.low ?? Math.min(...drawn));
  let high = categories.length > 0 ? categories.length - 0.5 : (axis.high ?? Math.max(...drawn));
  if (!Number.isFinite(low) || !Number.isFinite(high)) [low, high] = [0, 1];
  if (high <= low) [low, high] = [low - 0.5, low + 0.5];
  const pad = categories.length > 0 ? 0 : 0.04 * (high - low);
  const start = axis.low == null ? low - pad : low;
  const end = axis.high == null ? high + pad : high;
  const at = (value: number) => from + ((value - start) / (end - start)) * (to - from);
  const apart = which === "x" ? Math.ceil(widest(categories) / Math.max(1, Math.abs(at(1) - at(0)))) : 1;
  const ticks =
    categories.length > 0
      ? categories.map((label, i) => ({ at: at(i), label })).filter((_, i) => i % apart === 0)
      : nice(low, high).map((value) => ({ at: at(value), label: number(value, decimalsOf(high - low)) }));
  return { at, from: (pixel) => start + ((pixel - from) / (to - from)) * (end - start), ticks };
}

/** About how many pixels the longest of these words takes, with room beside it. */
const widest = (words: readonly string[]) => 7 * Math.max(1, ...words.map((one) => one.length)) + 8;

function valuesOf(mark: Chart["marks"][number], series: Exhibit["series"], which: "x" | "y"): number[] {
  if (mark.mark === "text") return [mark[which]];
  if (mark.mark === "rule") return [mark[which]].filter((one): one is number => one != null);
  const columns = series?.[mark.series] ?? {};
  const named =
    which === "x"
      ? [mark.x]
      : mark.mark === "band"
        ? [mark.low, mark.high]
        : mark.mark === "points"
          ? [mark.y, mark.low ?? undefined, mark.high ?? undefined]
          : [mark.y];
  const found = named.flatMap((name) => columnOf(columns, name)).filter((one): one is number => one !== null);
  return which === "y" && mark.mark === "bars" ? [0, ...found] : found;
}

/** Round values inside a range, about five of them. */
export function nice(low: number, high: number): number[] {
  const rough = (high - low) / 5;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((one) => one * power).find((one) => one >= rough) ?? rough;
  const first = Math.ceil(low / step - 1e-9);
  return Array.from({ length: Math.floor(high / step + 1e-9) - first + 1 }, (_, i) => (first + i) * step);
}

const decimalsOf = (span: number): number => Math.max(0, Math.min(6, 1 - Math.floor(Math.log10(span / 5))));
