/** The label check's suspects as they are listed and marked. */
import type { Schemas } from "../api/client";

export type Mark = Schemas["LabelMark"];
export type Verdict = Mark["verdict"];

export interface Suspect {
  /** Its place in the table, 1 is the first. */
  place: number;
  /** Its position in the submitted table, by which it is marked. */
  row: number;
  label: string;
  suggested: string;
  probability: number;
  cells: (string | null)[];
}

type Columns = Record<string, (number | null)[]>;

export function suspectsOf(
  classes: readonly string[],
  columns: Columns,
  cells: readonly (string | null)[][],
): Suspect[] {
  const told = (value: number | null | undefined) =>
    value == null ? "–" : classes.length ? (classes[value] ?? "–") : String(Number(value.toPrecision(6)));
  return (columns.row ?? []).map((row, i) => ({
    place: (row ?? 0) + 1,
    row: columns.submitted?.[i] ?? 0,
    label: told(columns.label?.[i]),
    suggested: told(columns.suggested?.[i]),
    probability: columns.probability?.[i] ?? 0,
    cells: cells[i] ?? [],
  }));
}

export const pairOf = (one: Suspect) => `${one.label} → ${one.suggested}`;

/** Every pair of label and suggestion with how many suspects it has, the most frequent first. */
export function pairsOf(suspects: readonly Suspect[]): [string, number][] {
  const counts = new Map<string, number>();
  for (const one of suspects) counts.set(pairOf(one), (counts.get(pairOf(one)) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1]);
}

export function marked(one: Suspect, verdict: Verdict): Mark {
  return { row: one.row, verdict, label: verdict === "corrected" ? one.suggested : null };
}

/** What undoes a change of marks: the marks these rows had, and the rows that had none. */
export function undoing(rows: readonly number[], before: readonly Mark[]): { marks: Mark[]; cleared: number[] } {
  const had = new Map(before.map((mark) => [mark.row, mark]));
  return { marks: rows.flatMap((row) => had.get(row) ?? []), cleared: rows.filter((row) => !had.has(row)) };
}

/** How many of these rows have no mark yet. */
export function leftOf(suspects: readonly Suspect[], marks: readonly Mark[]): number {
  const said = new Set(marks.map((mark) => mark.row));
  return suspects.filter((one) => !said.has(one.row)).length;
}

export function tally(marks: readonly Mark[]): string {
  const of = (verdict: Verdict) => marks.filter((mark) => mark.verdict === verdict).length;
  return `${of("wrong")} wrong, ${of("corrected")} corrected, ${of("kept")} kept`;
}
