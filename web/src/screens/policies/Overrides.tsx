/** Overrides: every limit that a plan departs from and every standing that was overruled; narrowed by person and by what. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useOverrides } from "../../api/overrides";
import { DataTable } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { day, plural } from "../../wording";

type Line = Schemas["OverrideLine"];

export function Overrides() {
  const overrides = useOverrides();
  const [search, setSearch] = useSearchParams();
  if (overrides.isPending) return <Fetching what="the overrides" />;
  if (!overrides.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={overrides.error} />
      </Box>
    );
  const { lines } = overrides.data;
  const by = search.get("by") ?? "";
  const on = search.get("on") ?? "";
  const shown = lines.filter((one) => (!by || one.by === by) && (!on || aboutOf(one) === on));
  const narrow = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  };
  return (
    <Main>
      <Link to="/policies">Policies</Link>
      <Typography variant="h1" sx={{ mt: 0.5 }}>
        Overrides
      </Typography>
      <Typography sx={{ color: "text.secondary", maxWidth: 860, mb: 1 }}>
        Limits in which a locked plan departs from its policy, and exhibits that their reviewer takes otherwise than
        they stand; each with its reason, the newest case first.
      </Typography>
      <Typography sx={{ mb: 2 }}>
        {plural(shown.length, "override")} by{" "}
        <Names
          name="By whom"
          value={by}
          all="anybody"
          of={lines.map((one) => one.by)}
          onSet={(to) => narrow("by", to)}
        />{" "}
        on <Names name="On what" value={on} all="anything" of={lines.map(aboutOf)} onSet={(to) => narrow("on", to)} />.
      </Typography>
      {lines.length > 0 && (
        <DataTable
          wide
          label="Overrides"
          rows={shown}
          keyOf={(one, i) => `${one.case_id} ${one.on} ${i}`}
          columns={[
            {
              head: "case",
              namesRow: true,
              cell: (one) => (
                <Link to={`/cases/${one.case_id}/${one.kind === "limit" ? "plan" : "evidence"}`}>
                  {one.model} {one.version}
                </Link>
              ),
            },
            { head: "tier", cell: (one) => one.tier },
            { head: "on", cell: (one) => one.on },
            { head: "policy, or as computed", sx: { color: "text.secondary" }, cell: (one) => one.was },
            { head: "instead", cell: (one) => one.instead },
            {
              head: "by",
              sx: { whiteSpace: "nowrap" },
              cell: (one) => (one.at ? `${one.by}, ${day(one.at.slice(0, 10))}` : one.by),
            },
            { head: "why", sx: { width: "30%" }, cell: (one) => one.reason },
          ]}
        />
      )}
    </Main>
  );
}

/** What is overridden, whatever exhibit it is the number of in its case. */
const aboutOf = (one: Line) => one.on.replace(/^exhibit \d+, /, "standing of ");

function Names({
  name,
  value,
  all,
  of,
  onSet,
}: {
  name: string;
  value: string;
  all: string;
  of: string[];
  onSet: (to: string) => void;
}) {
  const options = [...new Set(of)].sort().map((one) => [one, one] as const);
  return <InlineChoice name={name} value={value} options={[["", all], ...options]} disabled={false} onSet={onSet} />;
}
