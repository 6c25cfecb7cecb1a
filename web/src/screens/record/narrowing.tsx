/** Which entries of the record are listed: a sentence with values to set, kept in the address. */
import Box from "@mui/material/Box";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import type { RecordQuery } from "../../api/record";
import { addressNow } from "../../parts/address";
import { InlineChoice, InlineDay } from "../../parts/Inline";

type Kind = NonNullable<RecordQuery["kind"]>;

const KINDS: Record<Kind, string> = {
  case: "cases changing hands",
  data: "data and roles",
  plan: "plans and deviations",
  run: "runs and replays",
  statement: "statements",
  finding: "findings",
  question: "questions to the owner",
  decision: "decisions and reports",
  approval: "approvals and conditions",
  model: "models and their people",
  rows: "rows taken away",
  policy: "policies and templates",
  people: "people and tokens",
  record: "the record's keys",
};

/** By what each value is called in the address. */
const NAMES = {
  case_id: "case",
  model: "model",
  person_id: "who",
  kind: "kind",
  since: "since",
  until: "until",
  page: "page",
} as const;
type Name = keyof typeof NAMES;
type Put = (part: Partial<Record<Name, string | number | undefined>>) => void;

export function useRecordQuery(): { query: RecordQuery; put: Put } {
  const [search, setSearch] = useSearchParams();
  const number = (name: Name) => Number(search.get(NAMES[name])) || undefined;
  const text = (name: Name) => search.get(NAMES[name]) ?? undefined;
  const query = Object.fromEntries(
    Object.entries({
      case_id: number("case_id"),
      model: text("model"),
      person_id: number("person_id"),
      kind: text("kind"),
      since: text("since"),
      until: text("until"),
      page: number("page") ?? 1,
    }).filter(([, value]) => value !== undefined),
  ) as RecordQuery;
  const put: Put = (part) => {
    const next = addressNow();
    // Another list begins at its first page.
    next.delete("page");
    for (const [name, value] of Object.entries(part)) {
      if (value === undefined || value === "") next.delete(NAMES[name as Name]);
      else next.set(NAMES[name as Name], String(value));
    }
    setSearch(next);
  };
  return { query, put };
}

interface NarrowingProps {
  query: RecordQuery;
  people: Schemas["RecordPersonView"][];
  models: Schemas["RecordModelView"][];
  onPut: Put;
}

export function Narrowing({ query, people, models, onPut }: NarrowingProps) {
  return (
    <Box sx={{ color: "text.secondary" }}>
      About{" "}
      <InlineChoice
        name="About"
        value={query.kind ?? ""}
        disabled={false}
        options={[["", "anything"], ...(Object.entries(KINDS) as [Kind, string][])]}
        onSet={(kind) => onPut({ kind })}
      />
      , by{" "}
      <InlineChoice
        name="By"
        value={String(query.person_id ?? "")}
        disabled={false}
        options={[["", "anybody"], ...people.map((one) => [String(one.id), one.name] as const)]}
        onSet={(person_id) => onPut({ person_id })}
      />
      , of{" "}
      <InlineChoice
        name="Of"
        value={query.model ?? ""}
        disabled={false}
        options={[["", "any model"], ...models.map((one) => [one.key, one.name] as const)]}
        onSet={(model) => onPut({ model, case_id: undefined })}
      />
      {query.case_id && (
        <>
          , of{" "}
          <InlineChoice
            name="Case"
            value={String(query.case_id)}
            disabled={false}
            options={[
              [String(query.case_id), `case ${query.case_id} alone`],
              ["", "any case"],
            ]}
            onSet={(case_id) => onPut({ case_id })}
          />
        </>
      )}
      , from <InlineDay name="From" value={query.since ?? ""} onSet={(since) => onPut({ since })} /> to{" "}
      <InlineDay name="To" value={query.until ?? ""} onSet={(until) => onPut({ until })} />.
    </Box>
  );
}
