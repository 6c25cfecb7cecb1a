/** New rows of a case: files that were scored, one of them in full, and the form for another; the address is the view. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { isGoing, useNewRows, type Scoring } from "../../api/newRows";
import { useTheCase } from "../../frame/CaseFrame";
import { Fetching, Said } from "../../parts/Said";
import { moment, plural } from "../../wording";
import { AskRows } from "./AskRows";
import { ScoredFile } from "./ScoredFile";

export function NewRows() {
  const { theCase } = useTheCase();
  const [address] = useSearchParams();
  const found = useNewRows(theCase.id);
  if (found.isPending) return <Fetching what="new rows" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const { scorings, may_score: may, models } = found.data;
  const asked = address.get("number");
  const shown = asked === "new" ? undefined : (scorings.find((one) => String(one.number) === asked) ?? scorings[0]);
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "244px 1fr", minHeight: "100%" }}>
      <Box
        component="nav"
        aria-label="New rows"
        sx={{ borderRight: 1, borderColor: "divider", pl: 3, pr: 1.25, pt: 1.5, pb: 2, fontSize: "size.text" }}
      >
        <Typography variant="body2" sx={{ mb: 1 }}>
          <Link to={`/cases/${theCase.id}/evidence`}>Back to the evidence</Link>
        </Typography>
        {may && scorings.length > 0 && (
          <Typography variant="body2" sx={{ mb: 1.5 }}>
            {shown ? <Link to="?number=new">Score another file</Link> : <strong>Another file</strong>}
          </Typography>
        )}
        {scorings.map((one) => (
          <FileLine key={one.number} one={one} shown={one === shown} />
        ))}
      </Box>
      <Box component="article" aria-label="Scored rows" sx={{ p: 3, pt: 1.75, minWidth: 0 }}>
        {shown ? (
          <ScoredFile
            writes={theCase.may.review}
            key={shown.number}
            caseId={theCase.id}
            scoring={shown}
            may={may}
            models={models}
          />
        ) : may ? (
          <AskRows caseId={theCase.id} models={models} />
        ) : (
          <Typography color="text.secondary">
            No new rows were scored here yet. Who reviews the case, or belongs to its model, sends a file; what the
            models say of its rows will be here.
          </Typography>
        )}
      </Box>
    </Box>
  );
}

function FileLine({ one, shown }: { one: Scoring; shown: boolean }) {
  const rows = one.result ? plural(one.result.rows, "row") : isGoing(one) ? "being scored" : one.state;
  return (
    <Box
      sx={{
        mx: -0.75,
        px: 0.75,
        py: 0.5,
        borderRadius: 0.75,
        bgcolor: shown ? "brook.pale" : "transparent",
        overflowWrap: "anywhere",
      }}
    >
      <Link to={`?number=${one.number}`} aria-current={shown ? "page" : undefined}>
        {one.file}
      </Link>
      <Box sx={{ fontSize: "size.note", color: "text.secondary" }}>
        {rows}, {moment(one.asked)}
      </Box>
    </Box>
  );
}
