/** The conditions an approval rests on: what was done about each, and what can be. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import {
  conditionFile,
  useConditionAct,
  useSendConditionFiles,
  type Approval,
  type Condition,
} from "../../api/conditions";
import { Entries } from "../../parts/Entries";
import { Said } from "../../parts/Said";
import { SayForm } from "../../parts/SayForm";
import { conditionAct, conditionState, day } from "../../wording";
import { BUTTONS, KEEPS, LABELS, type SaidAct } from "./acts";

export function Conditions({ caseId, approval }: { caseId: number; approval: Approval }) {
  if (approval.conditions.length === 0) return null;
  return (
    <Box component="section" aria-label="Conditions" sx={{ mb: 2 }}>
      <Typography variant="h2" sx={{ mt: 2 }}>
        Conditions
      </Typography>
      {approval.conditions.map((one) => (
        <ConditionArticle key={one.number} caseId={caseId} condition={one} />
      ))}
    </Box>
  );
}

function ConditionArticle({ caseId, condition }: { caseId: number; condition: Condition }) {
  const act = useConditionAct(caseId);
  const send = useSendConditionFiles(caseId);
  const [saying, setSaying] = useState<SaidAct | null>(null);
  const [kept, setKept] = useState(false);
  const { number, revision } = condition;
  return (
    <Box
      component="article"
      id={`condition-${number}`}
      aria-label={`Condition ${number}`}
      sx={{ borderTop: 1, borderColor: "divider", py: 1.25 }}
    >
      <Typography sx={{ whiteSpace: "pre-line", maxWidth: 760 }}>
        <b style={{ fontWeight: 550 }}>{number}.</b> {condition.what}
      </Typography>
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        To be met by {day(condition.due)}
        {condition.who && `, by ${condition.who}`}: <b style={{ fontWeight: 550 }}>{conditionState(condition.state)}</b>
        {condition.lapsed && (
          <Box component="span" sx={{ color: "brook.ochre" }}>
            . Its date passed before it was met, so the approval lapsed.
          </Box>
        )}
      </Typography>
      <Entries
        entries={condition.entries}
        wordsOf={(entry) => conditionAct(entry.act)}
        addressOf={(entry, file) => conditionFile(caseId, number, entry.id, file.id)}
        sending={send.isPending}
        onFiles={(files) => send.mutate({ condition, files })}
      />
      <Said error={act.error} />
      {send.error && <Said error={kept ? new Error(`What you said is kept. ${send.error.message}`) : send.error} />}
      {saying ? (
        <SayForm
          key={saying}
          name={`${BUTTONS.find(([one]) => one === saying)?.[1]}, condition ${number}`}
          place={`brookfall.condition-act.${caseId}.${number}.${saying}`}
          label={LABELS[saying]}
          keeps={KEEPS[saying]}
          takesFiles
          busy={act.isPending}
          onClose={() => setSaying(null)}
          onDone={async (text, files) => {
            setKept(false);
            const now = await act.mutateAsync({ number, done: { act: saying, revision, text } }).catch(() => null);
            const mine = now?.conditions.find((one) => one.number === number);
            if (!mine) return false;
            setSaying(null);
            setKept(true);
            if (files.length) send.mutate({ condition: mine, files });
            return true;
          }}
        />
      ) : (
        <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
          {condition.may.includes("see") && (
            <Button
              variant="contained"
              disabled={act.isPending}
              onClick={() => act.mutate({ number, done: { act: "see", revision, text: "" } })}
            >
              I have seen that it is met
            </Button>
          )}
          {BUTTONS.filter(([does]) => condition.may.includes(does)).map(([does, words]) => (
            <Button
              key={does}
              variant={does === "send" && condition.state === "open" ? "contained" : "outlined"}
              onClick={() => setSaying(does)}
            >
              {words}
            </Button>
          ))}
        </Box>
      )}
    </Box>
  );
}
