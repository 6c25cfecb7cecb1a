/** Which cases the docket lists and in which order: a sentence with values to set, kept in the address. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useSearchParams } from "react-router";
import type { DocketQuery } from "../../api/queries";
import { InlineChoice } from "../../parts/Inline";
import { outcome, standing } from "../../wording";
import { addressNow } from "../../parts/address";

/** What narrows the list beside the state of a case. */
export const NARROWING = ["mine", "overdue", "tier", "outcome", "standing"] as const;
const OUTCOMES = ["binary", "multiclass", "number", "choice"] as const;
const MARKS = ["outside", "near", "unsettled", "within"] as const;

type Put = (part: Partial<Record<keyof DocketQuery, string | number | boolean | undefined>>) => void;

export function useDocketQuery(): { query: DocketQuery; put: Put } {
  const [search, setSearch] = useSearchParams();
  const text = (name: string) => search.get(name) ?? undefined;
  const number = (name: string) => (search.has(name) ? Number(search.get(name)) : undefined);
  const query = Object.fromEntries(
    Object.entries({
      page: number("page") ?? 1,
      state: text("state"),
      mine: search.has("mine") || undefined,
      overdue: search.has("overdue") || undefined,
      tier: number("tier"),
      outcome: text("outcome"),
      standing: text("standing"),
      sort: text("sort"),
      falling: search.has("falling") || undefined,
    }).filter(([, value]) => value !== undefined),
  ) as DocketQuery;
  const put: Put = (part) => {
    const next = addressNow();
    // Another list begins at its first page.
    next.delete("page");
    for (const [name, value] of Object.entries(part)) {
      if (value === undefined || value === "" || value === false) next.delete(name);
      else next.set(name, value === true ? "yes" : String(value));
    }
    setSearch(next);
  };
  return { query, put };
}

export function Narrowing({ query, onPut }: { query: DocketQuery; onPut: Put }) {
  return (
    <Box sx={{ mb: 1, color: "text.secondary", fontSize: "size.text" }}>
      Cases of{" "}
      <InlineChoice
        name="Whose cases"
        value={query.mine ? "yes" : ""}
        disabled={false}
        options={[
          ["", "everybody"],
          ["yes", "mine"],
        ]}
        onSet={(value) => onPut({ mine: value })}
      />
      , of{" "}
      <InlineChoice
        name="Tier"
        value={String(query.tier ?? "")}
        disabled={false}
        options={[["", "any tier"], ...[1, 2, 3].map((one) => [String(one), `tier ${one}`] as const)]}
        onSet={(value) => onPut({ tier: value })}
      />
      , with{" "}
      <InlineChoice
        name="Outcome"
        value={query.outcome ?? ""}
        disabled={false}
        options={[["", "any outcome"], ...OUTCOMES.map((one) => [one, `${outcome(one)} outcome`] as const)]}
        onSet={(value) => onPut({ outcome: value })}
      />
      ,{" "}
      <InlineChoice
        name="Due"
        value={query.overdue ? "yes" : ""}
        disabled={false}
        options={[
          ["", "due at any time"],
          ["yes", "overdue"],
        ]}
        onSet={(value) => onPut({ overdue: value })}
      />
      ,{" "}
      <InlineChoice
        name="Standing"
        value={query.standing ?? ""}
        disabled={false}
        options={[
          ["", "however their exhibits stand"],
          ...MARKS.map((one) => [one, `with an exhibit ${standing(one)}`] as const),
        ]}
        onSet={(value) => onPut({ standing: value })}
      />
      .
    </Box>
  );
}

interface SortHeadProps {
  words: string;
  by: NonNullable<DocketQuery["sort"]>;
  query: DocketQuery;
  onSort: Put;
}

/** The head of a column that orders the rows: rising first, then falling, then as they came. */
export function SortHead({ words, by, query, onSort }: SortHeadProps) {
  const mine = query.sort === by;
  const next = () => {
    if (!mine) onSort({ sort: by, falling: undefined });
    else if (!query.falling) onSort({ sort: by, falling: true });
    else onSort({ sort: undefined, falling: undefined });
  };
  return (
    <Button
      color="inherit"
      onClick={next}
      sx={{
        font: "inherit",
        minWidth: 0,
        p: 0,
        minHeight: 24,
        whiteSpace: "nowrap",
        fontWeight: mine ? 600 : "inherit",
      }}
    >
      {words}
      {mine && (query.falling ? " ↓" : " ↑")}
    </Button>
  );
}
