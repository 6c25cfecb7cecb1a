/** Who holds what: of each reviewer the cases in hand, and all of one's handed to another. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { Link } from "react-router";
import { useHandOver, useHolding, type Holds } from "../api/holding";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Fetching, Said } from "../parts/Said";
import { useUnsent } from "../parts/unsent";
import { day, plural } from "../wording";

export function Holding({ me }: { me: { id: number; roles: string[] } }) {
  const holding = useHolding();
  const [of, setOf] = useState<Holds | null>(null);
  if (holding.isPending) return <Fetching what="who holds what" />;
  if (!holding.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={holding.error} />
      </Box>
    );
  const mayGive = (one: Holds) => one.in_review > 0 && (one.id === me.id || me.roles.includes("countersigner"));
  return (
    <Main>
      <Typography variant="h1" sx={{ mb: 1 }}>
        Who holds what
      </Typography>
      <DataTable
        wide
        label="Who holds what"
        rows={holding.data}
        keyOf={(one) => one.id}
        columns={[
          {
            head: "reviewer",
            namesRow: true,
            cell: (one) => (
              <>
                {one.name}
                {one.away && (
                  <Box sx={{ fontSize: "size.small", color: "brook.ochre" }}>can&rsquo;t sign in any more</Box>
                )}
              </>
            ),
          },
          { head: "in review", cell: (one) => one.in_review },
          { head: "proposed", cell: (one) => one.proposed },
          {
            head: "overdue",
            cell: (one) => <Box sx={{ color: one.overdue ? "brook.brick" : undefined }}>{one.overdue}</Box>,
          },
          { head: "next due", sx: { whiteSpace: "nowrap" }, cell: (one) => (one.next_due ? day(one.next_due) : "") },
          {
            head: "cases",
            cell: (one) =>
              one.cases.map((held, place) => (
                <Fragment key={held.case_id}>
                  {place > 0 && ", "}
                  <Link to={`/cases/${held.case_id}`}>{held.case}</Link>
                </Fragment>
              )),
          },
          {
            cell: (one) =>
              mayGive(one) && (
                <Button aria-label={`Hand over all of ${one.name}`} onClick={() => setOf(one)}>
                  Hand over all
                </Button>
              ),
          },
        ]}
      />
      {of && <HandOverAll key={of.id} of={of} others={holding.data} onClose={() => setOf(null)} />}
    </Main>
  );
}

interface HandOverAllProps {
  of: Holds;
  others: readonly Holds[];
  onClose: () => void;
}

function HandOverAll({ of, others, onClose }: HandOverAllProps) {
  const give = useHandOver();
  const { typed, put, letGo } = useUnsent(`brookfall.hand-over-all.${of.id}`, { to: "", reason: "" });
  return (
    <Box
      component="form"
      aria-label={`Hand over all of ${of.name}`}
      sx={{ display: "grid", gap: 1.5, mt: 2, maxWidth: 620, justifyItems: "start" }}
      onSubmit={(event) => {
        event.preventDefault();
        give.mutate({ of: of.id, ...typed }, { onSuccess: letGo });
      }}
    >
      <Typography>
        {plural(of.in_review, "case")} in review by {of.name}, to
      </Typography>
      <TextField
        select
        label="Reviewer"
        value={typed.to}
        onChange={(event) => put({ to: event.target.value })}
        sx={{ width: 260 }}
      >
        {others
          .filter((one) => one.id !== of.id && !one.away)
          .map((one) => (
            <MenuItem key={one.id} value={one.login}>
              {one.name}
            </MenuItem>
          ))}
      </TextField>
      <TextField
        fullWidth
        multiline
        label="Why they are handed over"
        value={typed.reason}
        onChange={(event) => put({ reason: event.target.value })}
      />
      <Said error={give.error} />
      {give.data && (
        <Box role="status">
          {plural(give.data.handed.length, "case")} handed over
          {give.data.handed.length > 0 && `: ${give.data.handed.join(", ")}`}.
          {give.data.left.map((one) => (
            <div key={one.case_id}>
              <Link to={`/cases/${one.case_id}`}>{one.case}</Link> stays: {one.why}
            </div>
          ))}
        </Box>
      )}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="outlined" disabled={give.isPending || !typed.to || !typed.reason.trim()}>
          Hand them over
        </Button>
        <Button onClick={onClose}>Close</Button>
      </Box>
    </Box>
  );
}
