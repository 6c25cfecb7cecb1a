/** A case: its head, its course, the work, and the margin at the right. */
import Box from "@mui/material/Box";
import { useState, type UIEvent } from "react";
import { Outlet, useNavigate, useOutletContext, useParams } from "react-router";
import type { Case } from "../api/client";
import { useCase, useEndOfRun } from "../api/queries";
import { STEPS } from "../marks/Course";
import { Fetching, Said } from "../parts/Said";
import { CaseHead } from "./CaseHead";
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
  useEndOfRun(id, found.data?.run_state);
  const go = useNavigate();
  const [small, setSmall] = useState(false);
  const [margin, setMargin] = useState(localStorage.getItem("brookfall.margin") !== "closed");
  const showMargin = (open: boolean) => {
    localStorage.setItem("brookfall.margin", open ? "open" : "closed");
    setMargin(open);
  };
  useKeys([
    { keys: "0", does: "docket", act: () => void go("/") },
    ...STEPS.map((name, i) => ({
      keys: String(i + 1),
      does: name,
      act: () => void go(`/cases/${id}/${name.toLowerCase()}`),
    })),
    { keys: "m", does: "show or fold the margin", act: () => showMargin(!margin) },
  ]);
  if (found.isPending) return <Fetching what="the case" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const theCase = found.data;
  /** The head gives way once there is enough below to scroll; it comes back at the top, not on the way. */
  const onScroll = ({ currentTarget: page }: UIEvent<HTMLElement>) => {
    if (page.scrollTop < 8) setSmall(false);
    else if (page.scrollTop > 60 && page.scrollHeight - page.clientHeight > 260) setSmall(true);
  };
  return (
    <Box sx={{ display: "flex", flexDirection: "column", flex: 1, minHeight: 0 }}>
      <CaseHead theCase={theCase} small={small} onMargin={margin ? undefined : () => showMargin(true)} />
      <Box sx={{ display: "flex", flex: 1, minHeight: 0, borderTop: 1, borderColor: "divider" }}>
        <Box component="main" onScroll={onScroll} sx={{ flex: 1, minWidth: 0, overflow: "auto", position: "relative" }}>
          <Outlet context={{ theCase, openMargin: () => showMargin(true) } satisfies CaseContext} />
        </Box>
        {margin && <Margin theCase={theCase} onFold={() => showMargin(false)} />}
      </Box>
    </Box>
  );
}
