/** The questions to the owner of a case with their answers, where the reviewer asks more. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import { askedFile, useAsked, useAskedAct, useSendAskedFiles, type Asked, type AskedAct } from "../../api/questions";
import { Entries } from "../../parts/Entries";
import { Fetching, Said } from "../../parts/Said";
import { SayForm } from "../../parts/SayForm";
import { SERIF } from "../../theme";
import { askedAct, askedState, day, moment, plural } from "../../wording";
import { AskOwner } from "./AskOwner";

type SaidAct = Exclude<AskedAct, "settle">;

/** The acts in the order of their buttons, with the label of their text and the words of the button that keeps it. */
const SAID: readonly [SaidAct, string, string, string][] = [
  ["answer", "Answer", "Your answer", "Send the answer"],
  ["ask_again", "Ask again", "What is still open", "Send the question again"],
  ["withdraw", "Withdraw it", "Why it needs no answer any more", "Withdraw the question"],
  ["comment", "Comment", "Comment", "Send the comment"],
];

export function Questions({ caseId }: { caseId: number }) {
  const asked = useAsked(caseId);
  if (asked.isPending) return <Fetching what="the questions" />;
  if (!asked.data) return <Said error={asked.error} />;
  const { questions, may_ask: mayAsk } = asked.data;
  if (questions.length === 0 && !mayAsk) return null;
  const waiting = questions.filter((one) => one.state === "asked").length;
  return (
    <Box component="section" aria-label="Questions to the owner" id="questions">
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mt: 3, mb: 0.5 }}>
        <Typography variant="h2">Questions to the owner</Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {questions.length > 0 &&
            (waiting ? `${plural(waiting, "question")} of ${questions.length} without an answer` : "all answered")}
        </Typography>
      </Box>
      {questions.map((one) => (
        <QuestionArticle key={one.number} caseId={caseId} question={one} />
      ))}
      {questions.length === 0 && (
        <Typography sx={{ color: "text.secondary", mb: 1 }}>
          Nothing was asked yet. Ask here of the case as a whole, or beside a claim, a column or an exhibit.
        </Typography>
      )}
      {mayAsk && <AskOwner caseId={caseId} />}
    </Box>
  );
}

function QuestionArticle({ caseId, question }: { caseId: number; question: Asked }) {
  const act = useAskedAct(caseId);
  const send = useSendAskedFiles(caseId);
  const [saying, setSaying] = useState<SaidAct | null>(null);
  const [kept, setKept] = useState(false);
  const { number, revision, about } = question;
  const words = SAID.find(([one]) => one === saying);
  return (
    <Box
      component="article"
      id={`question-${number}`}
      aria-label={`Question ${number}`}
      sx={{ borderTop: 1, borderColor: "divider", py: 1.25, opacity: question.state === "withdrawn" ? 0.65 : 1 }}
    >
      <Typography sx={{ whiteSpace: "pre-line", maxWidth: 760 }}>
        <b style={{ fontWeight: 550 }}>{number}.</b> {question.text}
      </Typography>
      {about && (
        <Box
          component="blockquote"
          sx={{ m: 0, my: 0.5, pl: 1.25, borderLeft: 2, borderColor: "primary.main", fontFamily: SERIF, maxWidth: 760 }}
        >
          <Link to={placeOf(caseId, about)}>{nameOf(about)}</Link>: {about.words}
        </Box>
      )}
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        {question.asked_by} asked on {moment(question.asked)}
        {question.due && `, to be answered by ${day(question.due)}`}:{" "}
        <b style={{ fontWeight: 550 }}>{askedState(question.state)}</b>
        {question.state === "asked" && question.holds && "; the case waits for it"}
        {question.overdue && (
          <Box component="span" sx={{ color: "brook.ochre" }}>
            . Its day has passed.
          </Box>
        )}
      </Typography>
      <Entries
        entries={question.entries}
        wordsOf={(entry) => askedAct(entry.act)}
        addressOf={(entry, file) => askedFile(caseId, number, entry.id, file.id)}
        sending={send.isPending}
        onFiles={(files) => send.mutate({ question, files })}
      />
      <Said error={act.error} />
      {send.error && <Said error={kept ? new Error(`What you said is kept. ${send.error.message}`) : send.error} />}
      {saying && words ? (
        <SayForm
          key={saying}
          name={`${words[1]}, question ${number}`}
          place={`brookfall.question-act.${caseId}.${number}.${saying}`}
          label={words[2]}
          keeps={words[3]}
          takesFiles={saying !== "withdraw"}
          busy={act.isPending}
          onClose={() => setSaying(null)}
          onDone={async (text, files) => {
            setKept(false);
            const now = await act.mutateAsync({ number, done: { act: saying, revision, text } }).catch(() => null);
            if (now === null) return false;
            setSaying(null);
            setKept(true);
            if (files.length) send.mutate({ question: now, files });
            return true;
          }}
        />
      ) : (
        <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
          {question.may.includes("settle") && (
            <Button
              variant={question.state === "answered" ? "contained" : "outlined"}
              disabled={act.isPending}
              onClick={() => act.mutate({ number, done: { act: "settle", revision, text: "" } })}
            >
              {question.state === "answered" ? "That settles it" : "Settle it without an answer"}
            </Button>
          )}
          {SAID.filter(([does]) => question.may.includes(does)).map(([does, button]) => (
            <Button
              key={does}
              variant={does === "answer" && question.state === "asked" ? "contained" : "outlined"}
              onClick={() => setSaying(does)}
            >
              {does === "answer" && question.state === "answered" ? "Add to the answer" : button}
            </Button>
          ))}
        </Box>
      )}
    </Box>
  );
}

type Quoted = NonNullable<Asked["about"]>;

function nameOf(about: Quoted): string {
  return { exhibit: `Exhibit ${about.key}`, claim: `Claim ${about.key}`, column: "Column" }[about.kind];
}

function placeOf(caseId: number, about: Quoted): string {
  const place = {
    exhibit: `evidence?exhibit=${about.key}`,
    claim: "brief",
    column: `data?column=${encodeURIComponent(about.key)}`,
  }[about.kind];
  return `/cases/${caseId}/${place}`;
}
