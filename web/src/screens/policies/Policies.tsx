/** Policies: which is in force, those before it, and the draft of the next. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link, useNavigate } from "react-router";
import { textOf, useDraftPolicy, usePolicies, type PolicyHead } from "../../api/policies";
import { useMe } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { day } from "../../wording";

const BUILT_IN = 0;

interface Row {
  id: number;
  name: string;
  head: PolicyHead | null;
}

export function Policies() {
  const policies = usePolicies();
  const begin = useDraftPolicy();
  const me = useMe();
  const go = useNavigate();
  if (policies.isPending) return <Fetching what="the policies" />;
  if (!policies.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={policies.error} />
      </Box>
    );
  const { in_force: inForce, draft, versions, may_draft: mayDraft } = policies.data;
  const rows: Row[] = [
    ...versions.map((head) => ({ id: head.id, name: head.name, head })),
    { id: BUILT_IN, name: "Built-in policy", head: null },
  ];
  return (
    <Main>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Policies</Typography>
        {me.data?.reads_all && <Link to="/policies/overrides">Overrides</Link>}
        {(me.data?.reads_all || me.data?.roles.includes("administrator")) && (
          <Link to="/policies/templates">Templates</Link>
        )}
        {mayDraft && (
          <Button
            variant="outlined"
            sx={{ ml: "auto" }}
            disabled={begin.isPending}
            onClick={() =>
              begin.mutate(inForce?.id ?? BUILT_IN, { onSuccess: (page) => void go(`/policies/${page.head?.id}`) })
            }
          >
            Draft the next policy
          </Button>
        )}
      </Box>
      <Said error={begin.error} />
      <Typography sx={{ maxWidth: 860, mb: 2 }}>
        In force is{" "}
        <Link to={`/policies/${inForce?.id ?? BUILT_IN}`}>{inForce ? inForce.name : "the built-in policy"}</Link>
        {inForce ? `, since ${day(inForce.in_force_from)}.` : ": common practice, which nobody here has signed."}{" "}
        <Box component="span" sx={{ color: "text.secondary" }}>
          It says by which limits models are judged, what must be written, what a plan begins with and how long an
          approval lasts. A case keeps the policy that it was planned under.
        </Box>
      </Typography>
      {draft && (
        <Box sx={{ borderLeft: 3, borderColor: "primary.main", pl: 1.5, py: 0.5, mb: 3 }}>
          <Link to={`/policies/${draft.id}`}>{draft.name}</Link> {waits(draft)}
        </Box>
      )}
      <DataTable
        wide
        label="Policies"
        rows={rows}
        keyOf={(one) => one.id}
        columns={[
          {
            head: "policy",
            namesRow: true,
            cell: (one) => <Link to={`/policies/${one.id}`}>{one.name}</Link>,
          },
          { head: "number", right: true, cell: (one) => one.head?.number },
          {
            head: "in force from",
            headSx: { pl: 4 },
            sx: { pl: 4, whiteSpace: "nowrap" },
            cell: (one) => (one.head ? day(one.head.in_force_from) : "until there is another"),
          },
          {
            head: "signed by",
            cell: (one) => (one.head ? `${one.head.proposed_by} and ${one.head.answered_by}` : "nobody"),
          },
          { head: "what changed, and why", cell: (one) => one.head?.note },
          {
            cell: (one) => (
              <a href={textOf(one.id)} download={`${one.name}.yaml`}>
                Download
              </a>
            ),
          },
        ]}
      />
    </Main>
  );
}

function waits(draft: PolicyHead): string {
  if (draft.state === "proposed")
    return `waits for a countersigner; ${draft.proposed_by} proposed it, to be in force from ${day(draft.in_force_from)}.`;
  const sent = draft.comment && draft.answered_by ? ` ${draft.answered_by} sent it back: “${draft.comment}”` : "";
  return `is a draft, begun by ${draft.drafted_by} on ${day(draft.drafted)}.${sent}`;
}
