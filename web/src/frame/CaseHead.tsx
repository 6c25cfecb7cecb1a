/** The head of a case: what it is, whose it is, and its course; one line once the page is scrolled. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Case } from "../api/client";
import { useTake } from "../api/queries";
import { CourseNav } from "../marks/Course";
import { Said } from "../parts/Said";
import { day, outcome, count } from "../wording";
import { HandleCase } from "./HandleCase";

interface CaseHeadProps {
  theCase: Case;
  small: boolean;
  /** Opens the margin, where it is folded. */
  onMargin: (() => void) | undefined;
}

export function CaseHead({ theCase, small, onMargin }: CaseHeadProps) {
  const take = useTake();
  const course = (
    <CourseNav
      base={`/cases/${theCase.id}`}
      step={theCase.step}
      small={small}
      remarks={{
        Plan: theCase.deviating ? "deviation open" : theCase.plan_locked ? `locked ${day(theCase.plan_locked)}` : "",
        Evidence: theCase.run_state === "running" ? "running" : "",
        Findings: theCase.findings ? `${count(theCase.findings)} open` : "",
        Decision: theCase.state === "proposed" ? "proposed" : theCase.state === "decided" ? "decided" : "",
      }}
    />
  );
  const title = `${theCase.model} ${theCase.version}`;
  const marginButton = onMargin && <Button onClick={onMargin}>Margin</Button>;
  if (small) {
    return (
      <Box sx={{ display: "flex", alignItems: "center", pl: 3 }}>
        <Typography variant="h1" sx={{ fontSize: "size.lead", whiteSpace: "nowrap" }}>
          {title}
        </Typography>
        {course}
        {marginButton}
      </Box>
    );
  }
  return (
    <>
      <Box sx={{ px: 3, pt: 1.25, display: "flex", alignItems: "flex-end", gap: 2 }}>
        <Typography variant="h1" sx={{ "& a": { textDecoration: "none", "&:hover": { textDecoration: "underline" } } }}>
          <Link to={`/models/${theCase.model_key}`}>{theCase.model}</Link> {theCase.version}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {theCase.review > 1 && `review ${theCase.review} · `}tier {theCase.tier} · {outcome(theCase.outcome)} outcome
          · from {theCase.owner} · {reviewIn(theCase)}
          {theCase.priority !== "normal" && ` · ${theCase.priority} priority`}
          {theCase.due ? ` · due ${day(theCase.due)}` : ""}
        </Typography>
        <Box sx={{ ml: "auto", display: "flex", gap: 1 }}>
          {theCase.may.take && (
            <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate(theCase.id)}>
              Take this case
            </Button>
          )}
          <HandleCase theCase={theCase} />
          {marginButton}
        </Box>
      </Box>
      <Said error={take.error} />
      {theCase.rows_taken && (
        <Typography sx={{ px: 3, color: "brook.brick" }}>
          The rows of this case were taken away on {day(theCase.rows_taken)}, after their term. Figures, findings and
          what was signed are here; nothing can be replayed.
        </Typography>
      )}
      {course}
    </>
  );
}

function reviewIn({ state, reviewer }: Case): string {
  const words = state.replace("_", " ");
  if (!reviewer) return words;
  return `${words}${state === "in_review" ? " by " : ", reviewed by "}${reviewer}`;
}
