/** Which methods hold all the words that somebody looks for, those whose name holds them first. */
import type { Method } from "../../api/methods";

const told = (one: Method) =>
  [
    one.title,
    one.name,
    one.said,
    one.plan,
    one.source,
    ...(one.limits ?? []),
    ...one.facts,
    ...Object.keys(one.settings ?? {}),
  ]
    .join(" ")
    .toLowerCase();

export function found(methods: readonly Method[], words: string): Method[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const holds = (text: string) => wanted.every((word) => text.includes(word));
  const hits = methods.filter((one) => holds(told(one)));
  const named = (one: Method) => holds(`${one.title} ${one.name}`.toLowerCase());
  return [...hits.filter(named), ...hits.filter((one) => !named(one))];
}
