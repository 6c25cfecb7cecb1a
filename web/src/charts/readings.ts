/** What a figure of marks says at a place of its horizontal axis: the nearest point of each series, with its interval. */
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

interface Read {
  series: string;
  y: string;
  label: string;
  low: string | undefined;
  high: string | undefined;
}

/** Lines and points by their series; a band's ends are those of the line or points of its series. */
function readable(chart: Chart): Read[] {
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
        low: mark.mark === "points" ? (mark.low ?? undefined) : (band?.low ?? (band ? "low" : undefined)),
        high: mark.mark === "points" ? (mark.high ?? undefined) : (band?.high ?? (band ? "high" : undefined)),
      },
    ];
  });
}

/** The places that can be read, rising: those of the series with the most points. */
export function placesOf(chart: Chart, series: Exhibit["series"]): number[] {
  const found = readable(chart).map((one) =>
    columnOf(series?.[one.series] ?? {}, "x").filter((x): x is number => x !== null),
  );
  const most = found.reduce((best, one) => (one.length > best.length ? one : best), [] as number[]);
  return [...new Set(most)].sort((a, b) => a - b);
}

export function readingsAt(chart: Chart, series: Exhibit["series"], place: number): Reading[] {
  return readable(chart).flatMap((one) => {
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

/** `share of rows 0.20: positive rows held 0.46 [0.42 to 0.50]`. */
export function readingWords(chart: Chart, place: number, readings: readonly Reading[]): string {
  const where = chart.x.categories?.[Math.round(place)] ?? `${chart.x.label.split(",")[0]} ${number(place, 2)}`;
  const told = readings.map(
    ({ label, y, low, high }) =>
      `${label} ${number(y)}${low !== null && high !== null ? ` [${number(low)} to ${number(high)}]` : ""}`,
  );
  return `${where}: ${told.join("; ")}`;
}
