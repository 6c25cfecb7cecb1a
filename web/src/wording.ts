/** How numbers, dates and names stand on the page. */
import type { Estimate, Schemas } from "./api/client";

export const MINUS = "\u2212";

export function number(value: number | null | undefined, decimals = 3): string {
  if (value === null || value === undefined) return "–";
  const written = value.toFixed(decimals);
  // What rounds to nothing has no sign.
  return Number(written) === 0 ? written.replace("-", "") : written.replace("-", MINUS);
}

type Valued = Pick<Estimate, "comparison" | "value"> & { low?: number | null; note?: string | null };

/** An estimate's value; a p value too small for three decimals is said to be so, and what was counted has none. */
export function valueOf({ comparison, value, low, note }: Valued): string {
  if ((comparison === "p_value" || comparison === "p_value_holm") && value !== null && value < 0.0005)
    return "<\u202f0.001";
  if (low === null && value !== null && Number.isInteger(value) && note?.startsWith("counted")) return count(value);
  return number(value);
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

type Interval = Pick<Estimate, "value" | "low" | "high"> & Partial<Pick<Estimate, "judged" | "wide_low" | "wide_high">>;

/** `[0.695, 0.729]`, the interval that the standing was read from; nothing where there is none. */
export function ends(e: Interval): string {
  const [low, high] = e.judged === "simultaneous" ? [e.wide_low, e.wide_high] : [e.low, e.high];
  if (e.value === null || (low == null && high == null)) return "";
  return `[${low == null ? `${MINUS}∞` : number(low)}, ${high == null ? "∞" : number(high)}]`;
}

/** `0.712 [0.695, 0.729]`. */
export function interval(e: Interval): string {
  return `${number(e.value)} ${ends(e)}`.trim();
}

type Vocabulary = Schemas["Vocabulary"];

let known: Vocabulary | null = null;

/** What this server calls things; every page waits for it, so that it is there when a word is asked for. */
export function learn(vocabulary: Vocabulary): void {
  known = vocabulary;
}

/** A measure's name, or that of a comparison of it, as the trade writes it. */
export function measure(name: string): string {
  const found = known?.measures.find((one) => one.name === name);
  if (found) return found.words;
  const suffix = Object.keys(known?.comparisons ?? {}).find((one) => name.endsWith(`_${one}`));
  if (suffix) return `${known?.comparisons[suffix] ?? ""} ${measure(name.slice(0, -suffix.length - 1))}`;
  return name.replaceAll("_", " ");
}

/** Every measure that this server knows, with its words. */
export const measures = (): readonly { name: string; words: string }[] => known?.measures ?? [];

/** The measure that a figure is of, or a comparison of; null where it has no page of its own. */
export function measureItself(name: string): string | null {
  if (known?.measures.some((one) => one.name === name)) return name;
  const suffix = Object.keys(known?.comparisons ?? {}).find((one) => name.endsWith(`_${one}`));
  return suffix ? measureItself(name.slice(0, -suffix.length - 1)) : null;
}

/** The seven questions by number, in order. */
export function questions(): { number: number; question: string; title: string; short: string }[] {
  return Object.entries(known?.questions ?? {}).map(([number, question]) => ({
    number: Number(number),
    question,
    title: known?.question_titles[number] ?? question,
    short: known?.short_questions[number] ?? "",
  }));
}

export const question = (number: number): string => known?.questions[String(number)] ?? "";
export const outcome = (name: string): string => known?.outcomes[name] ?? name;
export const severity = (number: number): string => known?.severities[String(number)] ?? "";
export const severities = (): number[] => Object.keys(known?.severities ?? {}).map(Number);
export const modelStanding = (name: string): string => known?.model_standings[name] ?? name.replaceAll("_", " ");
export const conditionState = (name: string): string => known?.condition_states[name] ?? name;
export const askedState = (name: string): string => known?.asked_states[name] ?? name;
export const askedAct = (name: string): string => known?.asked_acts[name] ?? name.replaceAll("_", " ");
export const conditionAct = (name: string): string => known?.condition_acts[name] ?? name.replaceAll("_", " ");
export const findingState = (name: string): string => known?.finding_states[name] ?? name;
export const findingAct = (name: string): string => known?.finding_acts[name] ?? name;
export const findingAnswer = (name: string): string => known?.finding_answers[name] ?? name;
export const findingAnswers = (): string[] => Object.keys(known?.finding_answers ?? {});
export const decision = (name: string): string => known?.decisions[name] ?? name.replaceAll("_", " ");
export const decisions = (): [string, string][] => Object.entries(known?.decisions ?? {});
export const standing = (name: string): string => known?.standings[name] ?? name;

/** How what a statement judges stands: `holds`. */
export const statementStanding = (name: string): string => known?.statement_standings[name] ?? name;
export const statementStandings = (): string[] => Object.keys(known?.statement_standings ?? {});

/** `a, b and c`. */
export function listed(words: readonly string[]): string {
  return words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}

export function day(iso: string | null | undefined): string {
  if (!iso) return "";
  return new Date(`${iso.slice(0, 10)}T00:00:00Z`).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  });
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
