/** What a reviewer writes of a finding, as the form has it. */
import { z } from "zod";
import type { Finding } from "../../api/client";

export const shape = z.object({
  severity: z.number().int().min(1).max(4),
  title: z.string().min(1, "Give it a title."),
  what: z.string().min(1, "Say what is wrong."),
  why: z.string(),
  action: z.string(),
  action_owner: z.string(),
  due: z.string(),
  cites: z.array(z.number()),
  new_rows: z.array(z.number()),
  thresholds: z.array(
    z.object({ exhibit: z.number(), chart: z.number(), threshold: z.number(), miss_cost: z.number().nullable() }),
  ),
});
export type Written = z.infer<typeof shape>;

export const EMPTY: Written = {
  severity: 2,
  title: "",
  what: "",
  why: "",
  action: "",
  action_owner: "",
  due: "",
  cites: [],
  new_rows: [],
  thresholds: [],
};

export function textOf(finding: Finding) {
  return {
    severity: finding.severity,
    title: finding.title,
    what: finding.what,
    why: finding.why,
    action: finding.action,
    action_owner: finding.action_owner,
    due: finding.due,
    cites: finding.cites.map((c) => c.exhibit),
    new_rows: finding.new_rows.map((c) => c.number),
    thresholds: finding.cites.flatMap((c) => c.threshold ?? []),
  };
}

export type Chosen = Written["thresholds"][number];

/** The threshold that was chosen on a chart, as the address has it. */
export function chosenIn(search: URLSearchParams): Chosen | null {
  const [exhibit, threshold] = [Number(search.get("from")), Number(search.get("threshold"))];
  if (!exhibit || !search.has("threshold") || !Number.isFinite(threshold)) return null;
  return {
    exhibit,
    chart: Number(search.get("chart")) || 0,
    threshold,
    miss_cost: Number(search.get("miss_cost")) || null,
  };
}

/** The address of a finding about a file of new rows. */
export function addressOfRows(number: number): string {
  return new URLSearchParams({ write: "new", rows: String(number) }).toString();
}

/** The address of a finding about one group of an exhibit. */
export function addressOf(exhibit: number, group: Record<string, string>): string {
  return new URLSearchParams({ from: String(exhibit), group: JSON.stringify(group) }).toString();
}
