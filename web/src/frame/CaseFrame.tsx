/** A case: its head, its course, the work, and the margin at the right. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Outlet, useNavigate, useOutletContext, useParams } from "react-router";
import type { Case } from "../api/client";
import { useCase, useTake } from "../api/queries";
import { CourseNav, STEPS } from "../marks/Course";
import { Fetching, Said } from "../parts/Said";
import { day, OUTCOMES, plural } from "../wording";
import { useKeys } from "./keys";
import { Margin } from "./Margin";

interface CaseContext {
  theCase: Case;
  openMargin: () => void;
}

export function useTheCase(): CaseContext {
  return useOutletContext<CaseContext>();
}

export function CaseFrame() {
  const id = Number(useParams().caseId);
  const found = useCase(id);
  const take = useTake();
  const go = useNavigate();
  const [margin, setMargin] = useState(localStorage.getItem("brookfall.margin") !== "closed");
  const showMargin = (open: boolean) => {
    localStorage.setItem("brookfall.margin", open ? "open" : "closed");
    setMargin(open);
  };
  useKeys([
    { keys: "0", does: "docket", act: () => void go("/") },
    ...STEPS.map((name, i) => ({ keys: String(i + 1), does: name, act: () => void go(`/cases/${id}/${name.toLowerCase()}`) })),
    { keys: "m", does: "show or fold the margin", act: () => showMargin(!margin) },
  ]);
  if (found.isPending) return <Fetching what="the case" />;
  if (!found.data) return <Box sx={{ p: 3 }}><Said error={found.error} /></Box>;
  const theCase = found.data;
  const people = theCase.reviewer ? `${stateWords(theCase.state)}${theCase.state === "in_review" ? " by " : ", reviewed by "}${theCase.reviewer}` : stateWords(theCase.state);
  return (
    <Box sx={{ display: "flex", flexDirection: "column", flex: 1, minHeight: 0 }}>
      <Box sx={{ px: 3, pt: 1.25, display: "flex", alignItems: "flex-end", gap: 2 }}>
        <Typography variant="h1">{theCase.model} {theCase.version}</Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          tier {theCase.tier} · {OUTCOMES[theCase.outcome]} outcome · from {theCase.owner} · {people}{theCase.due ? ` · due ${day(theCase.due)}` : ""}
        </Typography>
        <Box sx={{ ml: "auto", display: "flex", gap: 1 }}>
          {theCase.may.take && <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate(id)}>Take this case</Button>}
          {!margin && <Button onClick={() => showMargin(true)}>Margin</Button>}
        </Box>
      </Box>
      <Said error={take.error} />
      <CourseNav
        base={`/cases/${id}`}
        step={theCase.step}
        remarks={{
          Plan: theCase.plan_locked ? `locked ${day(theCase.plan_locked)}` : "",
          Evidence: theCase.run_state === "running" ? "running" : "",
          Findings: theCase.findings ? plural(theCase.findings, "finding") : "",
          Decision: theCase.state === "proposed" ? "proposed" : theCase.state === "decided" ? "decided" : "",
        }}
      />
      <Box sx={{ display: "flex", flex: 1, minHeight: 0, borderTop: 1, borderColor: "divider" }}>
        <Box component="main" sx={{ flex: 1, minWidth: 0, overflow: "auto", position: "relative" }}>
          <Outlet context={{ theCase, openMargin: () => showMargin(true) } satisfies CaseContext} />
        </Box>
        {margin && <Margin theCase={theCase} onFold={() => showMargin(false)} />}
      </Box>
    </Box>
  );
}

function stateWords(state: string): string {
  return state.replace("_", " ");
}
