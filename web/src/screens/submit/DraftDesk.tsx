/** One draft: put together, sent, taken in; then its case. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { faultOf, useDraft } from "../../api/drafts";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { BriefForm } from "./BriefForm";
import { briefOf } from "./brief";
import { PackageForm } from "./PackageForm";
import { Taking } from "./Taking";

export function DraftDesk() {
  const draft = useDraft(Number(useParams().draftId));
  const go = useNavigate();
  const cache = useQueryClient();
  const shown = draft.data;
  const caseId = shown?.state === "done" ? shown.case_id : null;
  useEffect(() => {
    if (caseId === null) return;
    void cache.invalidateQueries({ queryKey: ["docket"] });
    void cache.invalidateQueries({ queryKey: ["drafts"] });
    void go(`/cases/${caseId}/brief`, { replace: true });
  }, [caseId, cache, go]);
  if (draft.isPending) return <Fetching what="your draft" />;
  return (
    <Main>
      <Box sx={{ maxWidth: 760 }}>
        <Typography variant="body2" sx={{ mb: 0.5 }}>
          <Link to="/submit">All that is half done</Link>
        </Typography>
        <Typography variant="h1" sx={{ mb: 1.5 }}>
          Submit a model
        </Typography>
        <Said error={draft.error} />
        {shown && shown.state !== "open" && <Taking draft={shown} />}
        {shown?.state === "open" && (
          <>
            <Said error={faultOf(shown)} />
            {briefOf(shown).way === "package" ? <PackageForm draft={shown} /> : <BriefForm draft={shown} />}
          </>
        )}
      </Box>
    </Main>
  );
}
