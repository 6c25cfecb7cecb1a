/** What somebody did about a finding, in words. */
import type { FindingEntry } from "../../api/findings";
import { day, findingAct, findingAnswer, listed } from "../../wording";

/** What somebody did, as it goes on after their name. */
export function wordsOf(entry: Pick<FindingEntry, "act" | "answer" | "version" | "until" | "by" | "to">): string {
  if (entry.act === "answer" && entry.answer) {
    const version = entry.version ? ` in version ${entry.version}` : "";
    return `${findingAnswer(entry.answer)}${version}`;
  }
  if (entry.act === "retest") return `had it retested on version ${entry.version}`;
  if (entry.act === "accept" && entry.until) return `accepted it as a risk until ${day(entry.until)}`;
  if (entry.act === "comment" && entry.to.length > 0)
    return `${findingAct(entry.act)}, to ${listed(entry.to.map(({ name }) => name))}`;
  return entry.by === null ? "has come: it is open again" : findingAct(entry.act);
}
