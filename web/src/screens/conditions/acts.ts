/** The words of the acts on a condition that are said. */
import type { ConditionAct } from "../../api/conditions";

export type SaidAct = Exclude<ConditionAct, "see">;

/** The acts in the order of their buttons. */
export const BUTTONS: readonly [SaidAct, string][] = [
  ["send", "Send evidence"],
  ["meet", "It is met"],
  ["turn_down", "It is not met"],
  ["send_back", "Send it back to be judged"],
  ["comment", "Comment"],
];

export const LABELS: Record<SaidAct, string> = {
  send: "What shows that it is met",
  meet: "Why it is met",
  turn_down: "What is missing",
  send_back: "Why it has to be judged again",
  comment: "Comment",
};
export const KEEPS: Record<SaidAct, string> = {
  send: "Send the evidence",
  meet: "Judge it met",
  turn_down: "Judge it not met",
  send_back: "Send it back",
  comment: "Send the comment",
};
