/** What a figure says at a place of its horizontal axis: the nearest point of each series, with its interval. */
import type { Exhibit, Schemas } from "../api/client";
import { number } from "../wording";
import { columnOf } from "./marks";

type Chart = Schemas["MarksChart"];

export interface Reading {
  label: string;
  y: number;
  low: number | null;
  high: number | null;
}

/** A line or points that can be read: their series, its column, and those of the interval's ends. */
export interface Read {
  series: string;
  y: string;
  label: string;
  low: string | undefined;
  high: string | undefined;
}

/** Lines and points by their series; a band's ends are those of the line or points of its series. */
export function readMarks(chart: Chart): Read[] {
  const bands = new Map(chart.marks.flatMap((mark) => (mark.mark === "band" ? [[mark.series, mark] as const] : [])));
  return chart.marks.flatMap((mark) => {
    if (mark.mark !== "line" && mark.mark !== "points") return [];
    const plain = (mark.y ?? "y") === "y";
    const band = plain ? bands.get(mark.series) : undefined;
    return [
      {
        series: mark.series,
        y: mark.y ?? "y",
        label: mark.label || chart.y.label,
        low: mark.low ?? band?.low ?? (band ? "low" : undefined),
        high: mark.high ?? band?.high ?? (band ? "high" : undefined),
      },
    ];
  });
}

const MOST_PLACES = 101;

/** The lines of a chart that stand out; single rows' faint ones are not read. */
export function readLines(chart: Schemas["LineChart"], series: Exhibit["series"]): Read[] {
  return chart.lines
    .filter((line) => !line.faint)
    .map((line) => {
      const has = (name: string) => (series?.[line.series]?.[name] ? name : undefined);
      return { series: line.series, y: "y", label: line.label, low: has("low"), high: has("high") };
    });
}

/** The places that can be read, rising: those of the series with the most points. */
export function placesOf(reads: readonly Read[], series: Exhibit["series"]): number[] {
  const found = reads.map((one) => columnOf(series?.[one.series] ?? {}, "x").filter((x): x is number => x !== null));
  const most = found.reduce((best, one) => (one.length > best.length ? one : best), [] as number[]);
  const rising = [...new Set(most)].sort((a, b) => a - b);
  if (rising.length <= MOST_PLACES) return rising;
  // A curve of thousands of points is walked in a hundred steps.
  const step = (rising.length - 1) / (MOST_PLACES - 1);
  return Array.from({ length: MOST_PLACES }, (_, i) => rising[Math.round(i * step)] as number);
}

export function readingsAt(reads: readonly Read[], series: Exhibit["series"], place: number): Reading[] {
  return reads.flatMap((one) => {
    const columns = series?.[one.series] ?? {};
    const across = columnOf(columns, "x");
    const at = nearest(across, place);
    const y = at === null ? null : (columnOf(columns, one.y)[at] ?? null);
    if (at === null || y === null || across.length < 3) return [];
    const end = (name: string | undefined) => columnOf(columns, name)[at] ?? null;
    return [{ label: one.label, y, low: end(one.low), high: end(one.high) }];
  });
}

export function nearest(values: readonly (number | null)[], place: number): number | null {
  let best: number | null = null;
  values.forEach((value, i) => {
    if (value !== null && (best === null || Math.abs(value - place) < Math.abs((values[best] ?? Infinity) - place)))
      best = i;
  });
  return best;
}

/** `share of rows 0.20: positive rows held 0.46 [0.42 to 0.50]`; a place of categories is said by its name. */
export function readingWords(
  axis: { label: string; categories?: readonly string[] | undefined },
  place: number,
  readings: readonly Reading[],
): string {
  const where = axis.categories?.[Math.round(place)] ?? `${axis.label.split(",")[0]} ${number(place, 2)}`;
  const told = readings.map(
    ({ label, y, low, high }) =>
      `${label} ${number(y)}${low !== null && high !== null ? ` [${number(low)} to ${number(high)}]` : ""}`,
  );
  return `${where}: ${told.join("; ")}`;
}
