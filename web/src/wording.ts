/** How numbers, dates and names stand on the page. */
import type { Estimate } from "./api/client";

export const MINUS = "\u2212";

export function number(value: number | null | undefined, decimals = 3): string {
  if (value === null || value === undefined) return "–";
  const written = value.toFixed(decimals);
  // What rounds to nothing has no sign.
  return Number(written) === 0 ? written.replace("-", "") : written.replace("-", MINUS);
}

/** An estimate's value; a p value too small for three decimals is said to be so. */
export function valueOf(estimate: Pick<Estimate, "measure" | "value">): string {
  const { measure: name, value } = estimate;
  return name.endsWith("p_value") && value !== null && value < 0.0005 ? "<\u202f0.001" : number(value);
}

export function count(n: number): string {
  return n.toLocaleString("en").replaceAll(",", "\u202f");
}

/** `6.2 %`; an exact half goes to the even digit, as on the server. */
export function percent(share: number): string {
  const tenths = share * 1000;
  const even = 2 * Math.round(tenths / 2);
  return `${((Math.abs(tenths - Math.floor(tenths) - 0.5) < 1e-9 ? even : Math.round(tenths)) / 10).toFixed(1)}\u00a0%`;
}

type Interval = Pick<Estimate, "value" | "low" | "high">;

/** `[0.695, 0.729]`; nothing where there is no interval. */
export function ends(e: Interval): string {
  if (e.value === null || (e.low == null && e.high == null)) return "";
  return `[${e.low == null ? `${MINUS}∞` : number(e.low)}, ${e.high == null ? "∞" : number(e.high)}]`;
}

/** `0.712 [0.695, 0.729]`. */
export function interval(e: Interval): string {
  return `${number(e.value)} ${ends(e)}`.trim();
}

const MEASURES: Record<string, string> = { auc: "AUC", brier: "Brier score", f1: "F1", mcc: "Matthews correlation", ks: "KS distance" };

export function measure(name: string): string {
  return MEASURES[name] ?? name.replaceAll("_", " ");
}

export function day(iso: string | null | undefined): string {
  if (!iso) return "";
  return new Date(`${iso.slice(0, 10)}T00:00:00Z`).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });
}

export function moment(iso: string): string {
  return `${day(iso)}, ${iso.slice(11, 16)} UTC`;
}

export function seconds(s: number): string {
  return s < 60 ? `${Math.max(1, Math.round(s))} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`;
}

/** `12 kB`, `3.4 MB`. */
export function size(bytes: number): string {
  if (bytes < 1000) return plural(bytes, "byte");
  return bytes < 1e6 ? `${count(Math.round(bytes / 1e3))}\u00a0kB` : `${(bytes / 1e6).toFixed(1)}\u00a0MB`;
}

export function plural(n: number, one: string, many = `${one}s`): string {
  return `${count(n)} ${n === 1 ? one : many}`;
}

export const OUTCOMES: Record<string, string> = { binary: "yes/no", multiclass: "several-class", number: "number", choice: "choice" };

export const QUESTIONS = [
  "Is the data fit for use?",
  "Do the claims reproduce?",
  "Does it hold up on unseen rows?",
  "Has it memorised its training rows?",
  "Does it beat something simpler?",
  "Does it treat people fairly?",
  "Does it make sense?",
] as const;

export const SHORT_QUESTIONS = ["data", "claims", "unseen rows", "memory", "simpler", "fair", "sense"] as const;

export const SEVERITIES = ["", "minor", "moderate", "serious", "critical"] as const;

export const DECISIONS: Record<string, string> = {
  approved: "Approved",
  approved_with_conditions: "Approved with conditions",
  returned_for_rework: "Returned for rework",
  not_approved: "Not approved",
};

export const STANDING_WORDS: Record<string, string> = {
  within: "within its limit",
  near: "near its limit",
  outside: "outside its limit",
  unsettled: "unsettled: these rows can't tell",
  none: "no limit set",
};
