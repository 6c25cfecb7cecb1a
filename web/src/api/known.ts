/** What the browser knows before it asks again: set at once, and not undone by an older answer still on its way. */
import type { QueryClient, QueryKey } from "@tanstack/react-query";
import type { Schemas } from "./client";

/** Sets what is known under `key`. A question already under way would answer with what was so before: it is dropped. */
export function setKnown<T>(
  cache: QueryClient,
  key: QueryKey,
  next: T | ((known: T | undefined) => T | undefined),
): void {
  const known = cache.getQueryData<T>(key);
  const value = typeof next === "function" ? (next as (known: T | undefined) => T | undefined)(known) : next;
  if (value === undefined) return;
  void cache.cancelQueries({ queryKey: key, exact: true });
  cache.setQueryData<T>(key, value);
}

/** What was last seen in the data of a case, of whichever revision; nothing where nobody has looked. */
export function lastLook(cache: QueryClient, caseId: number): Schemas["Look"] | null {
  const seen = cache.getQueriesData<Schemas["LookView"]>({ queryKey: ["look", caseId] });
  const by = (key: QueryKey) => Number(key[2] ?? 0);
  return (
    seen
      .sort(([one], [other]) => by(other) - by(one))
      .map(([, view]) => view?.look)
      .find((look) => look != null) ?? null
  );
}
