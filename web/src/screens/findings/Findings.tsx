/** The list of findings, with what was done about each, and the writing desk. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import type { Case, Finding } from "../../api/client";
import { useFindings, useSaveFinding } from "../../api/findings";
import { useDrafted } from "../../api/queries";
import { useTheCase } from "../../frame/CaseFrame";
import { useKeys } from "../../frame/keys";
import { Tally } from "../../marks/Tally";
import { Fetching, Said } from "../../parts/Said";
import { useUndo } from "../../parts/undo";
import { Desk } from "./Desk";
import { FindingArticle } from "./FindingArticle";
import { addressOf, chosenIn, textOf } from "./written";

export function Findings() {
  const { theCase } = useTheCase();
  const findings = useFindings(theCase.id);
  const save = useSaveFinding(theCase.id);
  const [search, setSearch] = useSearchParams();
  const writing = search.has("from") || search.has("write") || search.has("edit");
  const edited = findings.data?.find((f) => f.id === Number(search.get("edit")));
  const put = (before: Finding) => {
    const now = findings.data?.find((f) => f.id === before.id);
    save.mutate({ findingId: before.id, revision: now?.revision ?? before.revision, finding: textOf(before) });
  };
  const { remember, undo, canUndo } = useUndo<Finding>(put);
  useKeys([
    { keys: "n", does: "write a new finding", act: () => theCase.may.review && setSearch({ write: "new" }) },
    { keys: "u", does: "undo the last change of a finding", act: () => theCase.may.review && undo() },
  ]);
  // Followed from a mail or another page: the finding that the address names is shown.
  const named = search.get("finding");
  useEffect(() => {
    if (named && findings.data) document.getElementById(`finding-${named}`)?.scrollIntoView({ block: "start" });
  }, [named, findings.data]);
  if (findings.isPending) return <Fetching what="the findings" />;
  return (
    <Box sx={{ p: 3, maxWidth: 860 }}>
      <Said error={findings.error ?? save.error} />
      {writing && theCase.may.review ? (
        <Desk
          key={search.toString()}
          group={search.get("group")}
          theCase={theCase}
          from={Number(search.get("from")) || null}
          rows={Number(search.get("rows")) || null}
          chosen={chosenIn(search)}
          edited={edited}
          onChanged={remember}
          onClose={() => setSearch({})}
        />
      ) : (
        <Box sx={{ display: "flex", gap: 1, mb: 1 }}>
          {theCase.may.review && (
            <Button variant="contained" onClick={() => setSearch({ write: "new" })}>
              Write a finding
            </Button>
          )}
          {theCase.may.review && canUndo && <Button onClick={undo}>Undo</Button>}
        </Box>
      )}
      {!writing && theCase.may.review && <Drafts theCase={theCase} findings={findings.data ?? []} />}
      {findings.data?.length === 0 && !writing && (
        <Typography sx={{ color: "text.secondary" }}>
          Findings stand here: what is wrong, which exhibits show it, what must be done, by whom and when.{" "}
          {theCase.may.review && (
            <>
              Start one here, or with f on an exhibit of the <Link to={`/cases/${theCase.id}/evidence`}>evidence</Link>.
            </>
          )}
        </Typography>
      )}
      {findings.data?.map((finding) => (
        <FindingArticle
          key={finding.id}
          caseId={theCase.id}
          finding={finding}
          onEdit={writing ? undefined : () => setSearch({ edit: String(finding.id) })}
        />
      ))}
    </Box>
  );
}

/** What the group exhibits found outside or near a limit, each ready to be edited and kept. */
function Drafts({ theCase, findings }: { theCase: Case; findings: readonly Finding[] }) {
  const drafted = useDrafted(theCase.id);
  const kept = new Set(findings.map((finding) => finding.title));
  const open = (drafted.data ?? []).filter((draft) => !kept.has(draft.title));
  if (open.length === 0) return null;
  return (
    <Box component="section" aria-label="Drafted from the evidence" sx={{ mb: 2 }}>
      <Typography variant="h3">Drafted from the evidence</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 0.5 }}>
        From what the group exhibits show outside or near a limit. Nothing here counts until you have read, edited and
        saved it.
      </Typography>
      {open.map((draft) => (
        <Box
          key={`${draft.exhibit} ${draft.title}`}
          sx={{
            display: "flex",
            gap: 1,
            alignItems: "center",
            borderTop: 1,
            borderColor: "divider",
            py: 0.5,
            fontSize: "size.text",
          }}
        >
          <Tally severity={draft.severity} />
          <span>
            {draft.title}, exhibit {draft.exhibit}
          </span>
          <Box
            component={Link}
            to={`?${addressOf(draft.exhibit, draft.group)}`}
            sx={{ ml: "auto", whiteSpace: "nowrap", minHeight: 24 }}
          >
            Read and edit
          </Box>
        </Box>
      ))}
    </Box>
  );
}
