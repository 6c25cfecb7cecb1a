/** A finding as it reads: what is wrong and the exhibits that show it, then what was done about it, and what can be. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import type { Finding } from "../../api/client";
import { entryFile, isGoingOn, useFindingAct, useReadComment, useSendFiles, type FindingAct } from "../../api/findings";
import { Tally } from "../../marks/Tally";
import { Entries } from "../../parts/Entries";
import { Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { day, findingState, listed, moment, severity } from "../../wording";
import { ActForm, BUTTONS, type SaidAct } from "./ActForm";
import { wordsOf } from "./entryWords";
import { RetestForm, RetestProgress } from "./Retest";
import { RetestFigures } from "./RetestFigures";

interface FindingArticleProps {
  caseId: number;
  finding: Finding;
  /** Opens the writing desk on it, where that is not open. */
  onEdit: (() => void) | undefined;
}

export function FindingArticle({ caseId, finding, onEdit }: FindingArticleProps) {
  const act = useFindingAct(caseId);
  const send = useSendFiles(caseId);
  const read = useReadComment(caseId);
  const [saying, setSaying] = useState<SaidAct | null>(null);
  const [retesting, setRetesting] = useState(false);
  const [kept, setKept] = useState(false);
  const done = (does: FindingAct) => finding.may.includes(does);
  const state =
    finding.state === "accepted" && finding.until
      ? `accepted as a risk until ${day(finding.until)}`
      : findingState(finding.state);
  return (
    <Box
      component="article"
      id={`finding-${finding.number}`}
      aria-label={`Finding ${finding.number}`}
      sx={{ borderTop: 1, borderColor: "divider", py: 1.5, opacity: finding.state === "withdrawn" ? 0.65 : 1 }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <Tally severity={finding.severity} />
        <Typography variant="h3" sx={{ fontSize: "size.head" }}>
          {finding.number}. {finding.title}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {severity(finding.severity)}, by {finding.author}: <b style={{ fontWeight: 550 }}>{state}</b>
          {finding.answer_by && `, to be answered by ${day(finding.answer_by)}`}
          {finding.overdue && (
            <Box component="span" sx={{ color: "brook.ochre" }}>
              . Its day has passed.
            </Box>
          )}
        </Typography>
      </Box>
      <Typography sx={{ whiteSpace: "pre-line", mt: 0.5 }}>{finding.what}</Typography>
      {finding.why && (
        <Typography sx={{ mt: 0.5 }}>
          <b>Why it matters.</b> {finding.why}
        </Typography>
      )}
      {finding.action && (
        <Typography sx={{ mt: 0.5 }}>
          <b>To be done</b>
          {finding.action_owner && ` by ${finding.action_owner}`}
          {finding.due && ` until ${day(finding.due)}`}: {finding.action}
        </Typography>
      )}
      {finding.cites.map((cite) => (
        <Quoted key={cite.exhibit}>
          <Link to={`/cases/${caseId}/evidence?exhibit=${cite.exhibit}`}>
            Exhibit {cite.exhibit}, {cite.title.toLowerCase()}
          </Link>
          : {cite.quote}
          {cite.read && <Box sx={{ mt: 0.5 }}>{cite.read}</Box>}
          {cite.now && <Box sx={{ color: "brook.ochre", fontSize: "size.text" }}>Since then it says: {cite.now}</Box>}
        </Quoted>
      ))}
      {finding.new_rows.map((cite) => (
        <Quoted key={cite.number}>
          <Link to={`/cases/${caseId}/new-rows?number=${cite.number}`}>
            New rows {cite.number}, {cite.file}
          </Link>
          : {cite.quote}
        </Quoted>
      ))}
      <Entries
        entries={finding.entries}
        wordsOf={wordsOf}
        addressOf={(entry, file) => entryFile(caseId, finding.id, entry.id, file.id)}
        below={(entry) => (
          <>
            {entry.retest && <RetestFigures caseId={caseId} retest={entry.retest} />}
            {entry.to.some(({ read }) => read) && (
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                Read by {listed(entry.to.flatMap(({ name, read: at }) => (at ? [`${name} on ${moment(at)}`] : [])))}
              </Typography>
            )}
            {entry.unread && (
              <Button
                variant="outlined"
                disabled={read.isPending}
                onClick={() => read.mutate({ findingId: finding.id, entryId: entry.id })}
              >
                I have read it
              </Button>
            )}
          </>
        )}
        sending={send.isPending}
        onFiles={(files) => send.mutate({ finding, files })}
      />
      {finding.retest && <RetestProgress caseId={caseId} finding={finding} retest={finding.retest} />}
      <Said error={act.error ?? read.error} />
      {send.error && <Said error={kept ? new Error(`What you said is kept. ${send.error.message}`) : send.error} />}
      {retesting ? (
        <RetestForm caseId={caseId} finding={finding} onClose={() => setRetesting(false)} />
      ) : saying ? (
        <ActForm
          key={saying}
          caseId={caseId}
          finding={finding}
          act={saying}
          busy={act.isPending}
          onClose={() => setSaying(null)}
          onDone={async (said, files) => {
            setKept(false);
            const now = await act.mutateAsync({ findingId: finding.id, done: said }).catch(() => null);
            if (now === null) return false;
            setSaying(null);
            setKept(true);
            if (files.length) send.mutate({ finding: now, files });
            return true;
          }}
        />
      ) : (
        <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
          {done("send") && (
            <Button
              variant="contained"
              disabled={act.isPending}
              onClick={() =>
                act.mutate({ findingId: finding.id, done: { ...NOTHING, act: "send", revision: finding.revision } })
              }
            >
              Send to the owner
            </Button>
          )}
          {done("retest") && !isGoingOn(finding.retest) && finding.cites.length > 0 && (
            <Button
              variant={finding.state === "answered" ? "contained" : "outlined"}
              onClick={() => setRetesting(true)}
            >
              Retest it
            </Button>
          )}
          {BUTTONS.filter(([does]) => done(does)).map(([does, words]) => (
            <Button key={does} variant={does === "answer" ? "contained" : "outlined"} onClick={() => setSaying(does)}>
              {words}
            </Button>
          ))}
          {onEdit && done("change") && <Button onClick={onEdit}>Edit</Button>}
        </Box>
      )}
    </Box>
  );
}

/** What a finding quotes. */
function Quoted({ children }: { children: ReactNode }) {
  return (
    <Box
      component="blockquote"
      sx={{
        m: 0,
        mt: 1,
        pl: 1.25,
        borderLeft: 2,
        borderColor: "primary.main",
        fontFamily: SERIF,
        fontSize: "size.lead",
        overflowWrap: "anywhere",
      }}
    >
      {children}
    </Box>
  );
}

const NOTHING = { text: "", answer: null, version: "", until: null, to: [] };
