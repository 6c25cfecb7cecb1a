/** What marks of labels become by a change, as the server does it: added, put in place of earlier ones, taken away. */
import type { Schemas } from "./client";

export function markedWith(
  marks: readonly Schemas["LabelMark"][],
  change: Schemas["MarksBody"],
): Schemas["LabelMark"][] {
  const found = new Map(marks.map((mark) => [mark.row, mark]));
  for (const row of change.cleared ?? []) found.delete(row);
  for (const mark of change.marks ?? []) found.set(mark.row, mark);
  return [...found.values()].sort((a, b) => a.row - b.row);
}
