/** How a house's reports are made where nobody asks otherwise: its name, a text below it, language, paper, parts. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import type { HousePolicy } from "../../api/policies";
import { Choice } from "../../parts/Choice";
import { LANGUAGES, languageWords, PAPERS } from "../report/forms";

type Form = HousePolicy["report"];

interface ReportMadeProps {
  form: Form;
  busy: boolean;
  onSet: ((form: Form) => void) | undefined;
}

export function ReportMade({ form, busy, onSet }: ReportMadeProps) {
  return (
    <Box component="section" aria-label="How reports are made">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        How reports are made
      </Typography>
      {onSet ? <Written key={JSON.stringify(form)} form={form} busy={busy} onSet={onSet} /> : <Told form={form} />}
    </Box>
  );
}

function Told({ form }: { form: Form }) {
  const paper = PAPERS.find(([one]) => one === form.paper)?.[1] ?? "A4";
  return (
    <>
      <Typography>
        {form.house ? `Headed “${form.house}”` : "Without a name of the house"}; numbers and dates{" "}
        {languageWords(form.language ?? "en")}; on {paper}.
      </Typography>
      {form.cover && <Typography sx={{ whiteSpace: "pre-line", maxWidth: 860 }}>{form.cover}</Typography>}
    </>
  );
}

function Written({ form, busy, onSet }: { form: Form; busy: boolean; onSet: (form: Form) => void }) {
  const [next, setNext] = useState(form);
  const put = (part: Partial<Form>) => setNext({ ...next, ...part });
  const send = (event: FormEvent) => {
    event.preventDefault();
    onSet(next);
  };
  return (
    <Box
      component="form"
      aria-label="How reports are made"
      onSubmit={send}
      sx={{ display: "grid", gap: 1, maxWidth: 860 }}
    >
      <Box sx={{ display: "flex", gap: 1.5, flexWrap: "wrap", mt: 0.5 }}>
        <TextField
          size="small"
          label="The house's name"
          value={next.house ?? ""}
          onChange={(event) => put({ house: event.target.value })}
          sx={{ flex: 1, minWidth: 240 }}
          slotProps={{ htmlInput: { maxLength: 120 } }}
        />
        <Choice
          label="Numbers and dates"
          width={170}
          value={next.language ?? "en"}
          choices={LANGUAGES}
          onChoose={(language) => put({ language: language as Form["language"] })}
        />
        <Choice
          label="Paper"
          width={100}
          value={next.paper ?? "a4"}
          choices={PAPERS}
          onChoose={(paper) => put({ paper: paper as Form["paper"] })}
        />
      </Box>
      <TextField
        multiline
        label="Text below the head of a report"
        value={next.cover ?? ""}
        onChange={(event) => put({ cover: event.target.value })}
        slotProps={{ htmlInput: { maxLength: 4000 } }}
      />
      <Box>
        <Button type="submit" variant="outlined" disabled={busy || JSON.stringify(next) === JSON.stringify(form)}>
          Save how reports are made
        </Button>
      </Box>
    </Box>
  );
}
