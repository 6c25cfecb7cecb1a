/** What a draft would have changed in the cases of the last year, judged anew from what was kept of them. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { usePolicyEffect, type PolicyEffect, type PolicyHead } from "../../api/policies";
import { DataTable } from "../../parts/DataTable";
import { Said } from "../../parts/Said";
import { day, plural } from "../../wording";

export function Effect({ head }: { head: PolicyHead }) {
  const effect = usePolicyEffect(head);
  return (
    <Box component="section" aria-label="What it would have changed">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What it would have changed
      </Typography>
      <Said error={effect.error} />
      {effect.isPending && (
        <Typography sx={{ color: "text.secondary" }}>Judging the last year’s cases anew …</Typography>
      )}
      {effect.data && <Told effect={effect.data} />}
    </Box>
  );
}

function Told({ effect }: { effect: PolicyEffect }) {
  if (effect.cases === 0)
    return (
      <Typography sx={{ color: "text.secondary" }}>
        No case was run since {day(effect.since)}, so nothing tells what it would have changed.
      </Typography>
    );
  return (
    <>
      <Typography sx={{ maxWidth: 860, mb: 1 }}>{effectWords(effect)}</Typography>
      {effect.checks.length > 0 && (
        <DataTable
          wide
          label="Exhibits that would stand otherwise, by check"
          rows={effect.checks}
          keyOf={(one) => one.check}
          columns={[
            { head: "exhibits of", namesRow: true, cell: (one) => one.title },
            { head: "stay", right: true, cell: (one) => one.stay },
            { head: "would move", headSx: { pl: 4 }, sx: { pl: 4 }, cell: (one) => one.moved.map(moved).join("; ") },
            { head: "need a run to tell", right: true, cell: (one) => one.needs_run || "" },
          ]}
        />
      )}
      {effect.statements.length > 0 && (
        <Typography sx={{ mt: 1 }}>
          In writing there would have been due beside:{" "}
          {effect.statements.map((one) => `${one.what} (${plural(one.count, "case")})`).join(", ")}.
        </Typography>
      )}
      {effect.which.length > 0 && (
        <Typography sx={{ mt: 1, maxWidth: 980 }}>
          {effect.which.map((one, i) => (
            <span key={one.case_id}>
              {i > 0 && "; "}
              <Link to={`/cases/${one.case_id}/evidence`}>
                {one.model} {one.version}
              </Link>
              : {ofCase(one)}
            </span>
          ))}
          .
        </Typography>
      )}
    </>
  );
}

/** The answer first, in a sentence. */
export function effectWords(effect: PolicyEffect): string {
  const parts = [
    effect.worse > 0 && `in ${effect.worse} something would stand worse`,
    effect.better > 0 && `in ${effect.better} something would stand better`,
    effect.needs_run > 0 && `in ${effect.needs_run} something can’t be told without a run`,
  ].filter(Boolean);
  const of = `Of ${plural(effect.cases, "case")} run since ${day(effect.since)}, judged anew from what was kept`;
  return parts.length > 0 ? `${of}: ${parts.join(", ")}.` : `${of}, none would stand otherwise.`;
}

const STANDS: Record<string, string> = { unsettled: "open" };
const stands = (standing: string | null) => (standing === null ? "not judged" : (STANDS[standing] ?? standing));

function moved({ before, after, count }: Schemas["MovedCount"]): string {
  return `${count} from ${stands(before)} to ${stands(after)}`;
}

function ofCase({ worse, better, needs_run: needsRun }: Schemas["CaseEffect"]): string {
  return [worse > 0 && `${worse} worse`, better > 0 && `${better} better`, needsRun > 0 && `${needsRun} need a run`]
    .filter(Boolean)
    .join(", ");
}
