import type { InboxItem } from "../../api/inbox";
import { plural } from "../../wording";

/** What waits, as the subject of its sentence. */
export function nameOf(item: InboxItem): string {
  const version = `${item.model} ${item.version}`;
  if (item.about === "case") return version;
  if (item.about === "approval") return `The approval of ${version}`;
  return `${plural(item.count, item.about)} of ${version}`;
}
