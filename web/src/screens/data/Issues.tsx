/** What is wrong with the data, the gravest first: a sentence, the rows behind it, and what could be done. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Change, Issue, Where } from "../../api/client";
import { Tally } from "../../marks/Tally";
import { plural } from "../../wording";
import type { Role } from "./roles";

interface IssuesProps {
  issues: Issue[];
  /** Whether they are of the data and roles as they are now; else they are being looked at again. */
  settled: boolean;
  notCollected: string[];
  may: boolean;
  editable: boolean;
  onRows: (where: Where) => void;
  onRole: (column: string, role: Role) => void;
  onProtect: (column: string, how: { protect: boolean; ground: string | null }) => void;
  onWeigh: (change: Change) => void;
}

const STROKES = { serious: 3, notable: 2, slight: 1 } as const;

export function Issues({
  issues,
  settled,
  notCollected,
  may,
  editable,
  onRows,
  onRole,
  onProtect,
  onWeigh,
}: IssuesProps) {
  const act = (action: NonNullable<Issue["actions"]>[number]) => {
    if (action.change) onWeigh(action.change);
    else if (action.role && action.column) onRole(action.column, action.role);
    else if (action.column)
      onProtect(action.column, { protect: action.protect ?? false, ground: action.ground ?? null });
  };
  return (
    <Box component="section" aria-label="What is wrong with the data" aria-busy={!settled} sx={{ mt: 1 }}>
      {issues.map((issue) => (
        <Box
          key={issue.sentence}
          sx={{
            display: "grid",
            gridTemplateColumns: "24px 1fr auto",
            columnGap: 1,
            alignItems: "start",
            py: 0.75,
            borderBottom: 1,
            borderColor: "divider",
          }}
        >
          <Box sx={{ pt: 0.25 }} title={issue.weight}>
            <Tally severity={STROKES[issue.weight]} label={issue.weight} />
          </Box>
          <Typography sx={{ maxWidth: 640 }}>{issue.sentence}</Typography>
          <Box sx={{ display: "flex", gap: 0.75, justifyContent: "flex-end", flexWrap: "wrap", maxWidth: 330 }}>
            {issue.rows && issue.count ? (
              <Button sx={{ py: 0 }} onClick={() => issue.rows && onRows(issue.rows)}>
                See {plural(issue.count, "row")}
              </Button>
            ) : null}
            {may &&
              (issue.actions ?? []).map((action) => (
                <Button
                  key={action.label}
                  variant="outlined"
                  sx={{ py: 0 }}
                  disabled={!editable}
                  onClick={() => act(action)}
                >
                  {action.label}
                  {action.change ? " …" : ""}
                </Button>
              ))}
          </Box>
        </Box>
      ))}
      {notCollected.length > 0 && (
        <Typography variant="body2" sx={{ color: "text.secondary", py: 0.75 }}>
          Grounds of the policy without a column here: {notCollected.join(", ")}. If one stands under another name, mark
          that column as protected and choose its ground beside it; nobody can be audited by what was not collected.
        </Typography>
      )}
    </Box>
  );
}
