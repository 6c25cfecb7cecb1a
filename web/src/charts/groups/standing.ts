/** How groups stand: the worst of several comparisons, in the order a reader looks for. */
import type { Estimate } from "../../api/client";

const WORST_FIRST = ["outside", "near", "unsettled", "within"] as const;
export type Standing = (typeof WORST_FIRST)[number];

/** The worst standing of these estimates; null where none is judged. */
export function worstOf(places: readonly number[], estimates: readonly Estimate[]): Standing | null {
  const found = new Set(places.map((place) => estimates[place]?.standing));
  return WORST_FIRST.find((one) => found.has(one)) ?? null;
}

/** Where a standing comes in a list that begins with the worst; what is not judged comes last. */
export function rank(standing: Standing | null): number {
  return standing === null ? WORST_FIRST.length : WORST_FIRST.indexOf(standing);
}

/** Whether a group is too small for a measure to be judged. */
export function isFew(estimate: Estimate | undefined): boolean {
  return estimate?.value == null || estimate.few;
}
