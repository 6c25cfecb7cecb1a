/** Limits in words, as the server says them. */
import type { HousePolicy, Limit } from "../../api/policies";
import { MINUS } from "../../wording";

const written = (value: number) => String(value).replace("-", MINUS);

/** `between 0.8 and 1.25, ideally 1`. */
export function limitWords({ at_least: low, at_most: high, ideal, burden }: Limit): string {
  const ends =
    low != null && high != null
      ? `between ${written(low)} and ${written(high)}`
      : low != null
        ? `≥ ${written(low)}`
        : `≤ ${written(high ?? 0)}`;
  return [ends, ideal != null && `ideally ${written(ideal)}`, burden === "model" && "to be shown by the model"]
    .filter(Boolean)
    .join(", ");
}

export type Tier = HousePolicy["tiers"][string];

/** A limit of a tier by its name. */
export function limitOf(tier: Tier, name: string): Limit {
  return tier[name as "gap"];
}

/** The policy with one tier changed. */
export function withTier(policy: HousePolicy, number: string, part: Partial<Tier>): HousePolicy {
  const tier = policy.tiers[number];
  return tier ? { ...policy, tiers: { ...policy.tiers, [number]: { ...tier, ...part } } } : policy;
}

export const TIERS = ["1", "2", "3"] as const;
