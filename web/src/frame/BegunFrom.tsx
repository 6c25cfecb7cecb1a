/** What the case began from, what differs from that since, and what it could begin from instead. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import { useBeginFrom, useSetUp } from "../api/setUp";
import { Said } from "../parts/Said";
import { Changes } from "../screens/record/Changes";
import { plural } from "../wording";

interface BegunFromProps {
  caseId: number;
  /** Whether roles or the plan are told of. */
  about: "roles" | "plan";
  revision: number | undefined;
}

export function BegunFrom({ caseId, about, revision }: BegunFromProps) {
  const found = useSetUp(caseId, revision);
  const begin = useBeginFrom(caseId);
  const [sure, setSure] = useState<number | null | undefined>(undefined);
  const shown = found.data;
  if (!shown || (!shown.begun && shown.from_.length === 0)) return <Said error={found.error} />;
  const { begun } = shown;
  const others = shown.from_.filter((one) => one.case_id !== begun?.case_id);
  const differs = begun ? (about === "roles" ? begun.roles.length : begun.plan.length) : 0;
  const choose = (from: number | null) => {
    if (sure === from) begin.mutate(from, { onSettled: () => setSure(undefined) });
    else setSure(from);
  };
  return (
    <Box
      component="section"
      aria-label="What this began from"
      sx={{ border: 1, borderColor: "divider", borderRadius: 1, px: 1.5, py: 0.75, mb: 1, fontSize: "size.text" }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        {begun ? (
          <span>
            {about === "roles" ? "The roles" : "The plan"} began as the review of{" "}
            <Link to={`/cases/${begun.case_id}/${about === "roles" ? "data" : "plan"}`}>{nameOf(begun)}</Link> left{" "}
            {about === "roles" ? "them" : "it"}
            {differs ? `; ${plural(differs, "value")} differ${differs === 1 ? "s" : ""}:` : "; nothing differs."}
          </span>
        ) : (
          <span>This began from the standard roles and plan.</span>
        )}
        {shown.may_begin && (
          <Box component="span" sx={{ ml: "auto" }}>
            {others.map((one) => (
              <Button key={one.case_id} disabled={begin.isPending} onClick={() => choose(one.case_id)}>
                {sure === one.case_id ? "Put them in place of what is here" : `Begin from ${nameOf(one)}`}
              </Button>
            ))}
            {begun && (
              <Button disabled={begin.isPending} onClick={() => choose(null)}>
                {sure === null ? "Put it in place of what is here" : "Begin from the standard plan"}
              </Button>
            )}
          </Box>
        )}
      </Box>
      {begun && about === "plan" && <Changes changes={begun.plan} />}
      {begun && about === "roles" && begun.roles.map((line) => <div key={line}>{line}</div>)}
      {begun && about === "roles" && begun.left_changes > 0 && (
        <div>
          {plural(begun.left_changes, "change")} of the data of {begun.version}{" "}
          {begun.left_changes === 1 ? "was" : "were"} not made here: {begun.left_changes === 1 ? "it is" : "they are"}{" "}
          of its own rows.
        </div>
      )}
      <Said error={begin.error} />
    </Box>
  );
}

const nameOf = ({ version, review }: { version: string; review: number }) =>
  review > 1 ? `${version}, review ${review}` : version;
