/** What a policy asks of each tier: its limits side by side, then everything else; in a draft each value can be set. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import type { HousePolicy, Limit, PolicyPage } from "../../api/policies";
import { DataTable } from "../../parts/DataTable";
import { InlineChoice, InlineMaybeNumber, InlineNumber } from "../../parts/Inline";
import { outcome as outcomeWords } from "../../wording";
import { limitOf, limitWords, TIERS, withTier, type Tier } from "./limits";

interface LimitsProps {
  page: PolicyPage;
  busy: boolean;
  /** What the draft says from now on; not given where nothing can be changed. */
  onSet?: ((policy: HousePolicy) => void) | undefined;
}

export function LimitsTable({ page, busy, onSet }: LimitsProps) {
  const { policy, limits } = page;
  return (
    <Box component="section" aria-label="Limits">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Limits
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1, maxWidth: 860 }}>
        A value is outside once its interval lies beyond the limit, or, where the model has to show it, as long as its
        interval does not lie within. Near is what keeps the limit but lies apart from the ideal.
      </Typography>
      <DataTable
        wide
        close
        label="Limits by tier"
        rows={limits}
        keyOf={(one) => one.name}
        columns={[
          {
            head: "limit on",
            namesRow: true,
            sx: { width: 300 },
            cell: (one) => (
              <>
                {one.on}
                <Box component="span" sx={{ display: "block", color: "text.secondary", fontWeight: 400 }}>
                  {one.checks.join(", ")}
                </Box>
              </>
            ),
          },
          ...TIERS.map((number) => ({
            head: `tier ${number}`,
            cell: (one: Schemas["LimitName"]) => {
              const tier = policy.tiers[number];
              if (!tier) return null;
              const limit = limitOf(tier, one.name);
              return (
                <>
                  {onSet ? (
                    <LimitFields
                      name={`${one.on}, tier ${number}`}
                      limit={limit}
                      busy={busy}
                      onSet={(set) => onSet(withTier(policy, number, { [one.name]: set }))}
                    />
                  ) : (
                    limitWords(limit)
                  )}
                  {exceptions(tier, one.name).map(([outcome, of]) => (
                    <Box key={outcome} sx={{ color: "text.secondary" }}>
                      {outcome}: {limitWords(of)}
                    </Box>
                  ))}
                </>
              );
            },
          })),
        ]}
      />
    </Box>
  );
}

/** The limits of single kinds of outcome that are others than the tier's. */
function exceptions(tier: Tier, name: string): [string, Limit][] {
  return Object.entries(tier.outcomes ?? {}).flatMap(([outcome, limits]) => {
    const limit = limits[name];
    return limit ? [[outcomeWords(outcome), limit] as [string, Limit]] : [];
  });
}

const BURDENS = [
  ["reviewer", "a breach must be shown"],
  ["model", "the model must show it"],
] as const;

function LimitFields({
  name,
  limit,
  busy,
  onSet,
}: {
  name: string;
  limit: Limit;
  busy: boolean;
  onSet: (limit: Limit) => void;
}) {
  const field = (words: string, of: "at_least" | "at_most" | "ideal") => (
    <>
      {words}
      <InlineMaybeNumber
        name={`${words} of ${name}`}
        value={limit[of] ?? null}
        disabled={busy}
        onSet={(value) => onSet({ ...limit, [of]: value })}
      />
    </>
  );
  return (
    <>
      <Box sx={{ whiteSpace: "nowrap" }}>
        {field("≥", "at_least")} {field("≤", "at_most")} {field("ideally", "ideal")}
      </Box>
      <InlineChoice
        name={`Burden of ${name}`}
        value={limit.burden}
        options={BURDENS}
        disabled={busy}
        onSet={(burden) => onSet({ ...limit, burden })}
      />
    </>
  );
}

interface Fact {
  on: string;
  words: (tier: Tier) => string;
  field?: (tier: Tier, number: string, busy: boolean, put: (part: Partial<Tier>) => void) => React.ReactNode;
}

const whole = (
  name: keyof Tier & ("approved_years" | "days_to_answer" | "rows_kept_years"),
  unit: string,
  max: number,
) =>
  ({
    words: (tier) => `${tier[name] ?? 0} ${unit}`,
    field: (tier, number, busy, put) => (
      <InlineNumber
        name={`${unit}, ${name.replaceAll("_", " ")}, tier ${number}`}
        value={tier[name] ?? 0}
        min={name === "rows_kept_years" ? 0 : 1}
        max={max}
        whole
        unit={` ${unit}`}
        disabled={busy}
        onSet={(value) => put({ [name]: value })}
      />
    ),
  }) satisfies Omit<Fact, "on">;

const standard = (name: "folds" | "repeats" | "splits" | "shuffles", min: number, max: number) =>
  ({
    words: (tier) => String(tier.standard_plan[name]),
    field: (tier, number, busy, put) => (
      <InlineNumber
        name={`${name}, tier ${number}`}
        value={tier.standard_plan[name]}
        min={min}
        max={max}
        whole
        disabled={busy}
        onSet={(value) => put({ standard_plan: { ...tier.standard_plan, [name]: value } })}
      />
    ),
  }) satisfies Omit<Fact, "on">;

/** The grounds, each with the words of the house by which it is known, where there are some. */
function groundsOf({ grounds = [], ground_words: own = {} }: Tier): string {
  const said = grounds.map((ground) => {
    const words = own[ground];
    const known = [
      words?.names?.length && `columns named ${words.names.join(", ")}`,
      words?.levels?.length && `levels ${words.levels.join(", ")}`,
    ].filter(Boolean);
    return known.length > 0 ? `${ground} (${known.join("; ")})` : ground;
  });
  return said.join(", ") || "none";
}

const FACTS: readonly Fact[] = [
  {
    on: "level of intervals",
    words: (tier) => `${100 * tier.level} %`,
    field: (tier, number, busy, put) => (
      <InlineNumber
        name={`Level of intervals, tier ${number}`}
        value={100 * tier.level}
        min={51}
        max={99.9}
        unit=" %"
        disabled={busy}
        onSet={(value) => put({ level: value / 100 })}
      />
    ),
  },
  { on: "an approval lasts", ...whole("approved_years", "years", 100) },
  { on: "an owner answers within", ...whole("days_to_answer", "days", 365) },
  { on: "rows are kept after the decision, at least", ...whole("rows_kept_years", "years", 100) },
  {
    on: "taken for the same figure",
    words: (tier) =>
      `within ${tier.materiality.bounded} of measures in 0 to 1, ${100 * tier.materiality.share} % of others`,
  },
  { on: "grounds on which people must not be treated worse", words: groundsOf },
  {
    on: "to be judged in writing",
    words: (tier) => (tier.statements ?? []).map((one) => one.title).join(", ") || "nothing",
  },
  {
    on: "limits of other checks",
    words: (tier) =>
      Object.entries(tier.limits ?? {})
        .map(([check, limit]) => `${check.replaceAll("_", " ")}: ${limitWords(limit)}`)
        .join("; ") || "none",
  },
  {
    on: "standard parts",
    words: (tier) =>
      Object.entries(tier.standard_plan.shares)
        .map(([part, share]) => `${share} % ${part}`)
        .join(", "),
  },
  { on: "standard folds", ...standard("folds", 2, 50) },
  { on: "repeats of the folds", ...standard("repeats", 1, 20) },
  { on: "random splits", ...standard("splits", 10, 1000) },
  { on: "shuffles of the outcome", ...standard("shuffles", 20, 1000) },
];

export function FactsTable({ page: { policy }, busy, onSet }: LimitsProps) {
  return (
    <Box component="section" aria-label="What else it says">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What else it says
      </Typography>
      <DataTable
        wide
        close
        label="What else the policy says, by tier"
        rows={FACTS}
        keyOf={(one) => one.on}
        columns={[
          { head: "about", namesRow: true, sx: { width: 300 }, cell: (one) => one.on },
          ...TIERS.map((number) => ({
            head: `tier ${number}`,
            cell: (one: Fact) => {
              const tier = policy.tiers[number];
              if (!tier) return null;
              return onSet && one.field
                ? one.field(tier, number, busy, (part) => onSet(withTier(policy, number, part)))
                : one.words(tier);
            },
          })),
        ]}
      />
    </Box>
  );
}
