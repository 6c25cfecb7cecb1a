/** A sentence of the plan, from data alone: on or off at its start, its limit at the end of the line, its own lines around it. */
import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { methodAddress } from "../../parts/methodAddress";
import { SERIF } from "../../theme";
import { Field } from "./Fields";
import type { FieldProps, Line, Part, Sentence } from "./values";

type Set = FieldProps<Part>["onSet"];

interface ToggleProps {
  label: string;
  title?: string;
  on: boolean;
  off: boolean;
  onToggle: (on: boolean) => void;
}

function Toggle({ label, title, on, off, onToggle }: ToggleProps) {
  return (
    <input
      type="checkbox"
      aria-label={label}
      title={title}
      checked={on}
      disabled={off}
      onChange={(event) => onToggle(event.target.checked)}
      style={{ width: 15, height: 15, margin: "5px 0 0", accentColor: "var(--mui-palette-primary-main)" }}
    />
  );
}

interface CheckProps {
  name: string;
  title: string;
  on: boolean;
  excluded: string | null;
  sentence: Sentence;
  off: boolean;
  onToggle: (on: boolean) => void;
  onSet: Set;
}

export function CheckSentence({ name, title, on, excluded, sentence, off, onToggle, onSet }: CheckProps) {
  const toggle = (
    <Toggle label={`Run ${name.replaceAll("_", " ")}`} title={title} on={on} off={off} onToggle={onToggle} />
  );
  return (
    <>
      {(sentence.before ?? []).map((line, i) => (
        <SubLine key={i} line={line} off={off} onSet={onSet} />
      ))}
      <SentenceRow toggle={toggle} on={on} limit={<Parts parts={sentence.limit} off={off} onSet={onSet} />}>
        <Parts parts={sentence.parts} off={off} onSet={onSet} />{" "}
        <Box
          component={Link}
          to={methodAddress("check", name)}
          sx={{ typography: "caption", color: "text.secondary" }}
          aria-label={`Method of ${title}`}
        >
          method
        </Box>
        {excluded && <Box sx={{ typography: "caption", color: "brook.ochre" }}>Will not run: {excluded}</Box>}
      </SentenceRow>
      {(sentence.after ?? []).map((line, i) => (
        <SubLine key={i} line={line} off={off} onSet={onSet} />
      ))}
    </>
  );
}

interface StatementProps {
  statement: Schemas["PlanStatement"];
  off: boolean;
  onToggle: (on: boolean) => void;
}

/** What the reviewer judges in writing, as a sentence of the plan. */
export function StatementRow({ statement, off, onToggle }: StatementProps) {
  const toggle = (
    <Toggle label={`Ask for ${statement.title.toLowerCase()}`} on={statement.on} off={off} onToggle={onToggle} />
  );
  return (
    <SentenceRow toggle={toggle} on={statement.on} limit="judged in writing">
      Judge in writing: {statement.title.toLowerCase()}. <i>{statement.asks}</i>
    </SentenceRow>
  );
}

const SIGN = /[≤≥<>=] $/;

function Parts({ parts, off, onSet }: { parts: readonly Part[]; off: boolean; onSet: Set }) {
  return (
    <>
      {parts.map((part, i) => {
        const before = parts[i - 1];
        const sign = before?.kind === "words" ? SIGN.exec(before.text)?.[0] : undefined;
        const next = parts[i + 1];
        const field =
          part.kind === "words" && next && next.kind !== "words"
            ? { ...part, text: part.text.replace(SIGN, "") }
            : part;
        return (
          // A sign stays on the line of the value that it is about.
          <span key={i} style={sign && part.kind !== "words" ? { whiteSpace: "nowrap" } : undefined}>
            {part.kind !== "words" && sign}
            <Field field={field} off={off} onSet={onSet} />
          </span>
        );
      })}
    </>
  );
}

const TONES = {
  plain: { fontSize: "size.lead" },
  small: { fontSize: "size.text" },
  warning: { fontSize: "size.text", color: "brook.ochre", maxWidth: 820 },
} as const;

export function SubLine({ line, off, onSet }: { line: Line; off: boolean; onSet: Set }) {
  return (
    <Box sx={{ pl: 4, lineHeight: 1.8, ...TONES[line.tone ?? "plain"] }}>
      <Parts parts={line.parts} off={off} onSet={onSet} />
      {line.remark && (
        <Box component="span" sx={{ color: "text.secondary", typography: "caption" }}>
          {" "}
          {line.remark}
        </Box>
      )}
    </Box>
  );
}

interface RowProps {
  children: ReactNode;
  limit: ReactNode;
  toggle?: ReactNode;
  on?: boolean;
}

export function SentenceRow({ children, limit, toggle, on = true }: RowProps) {
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "20px 1fr 176px",
        gap: 0.75,
        font: `430 15px/1.55 ${SERIF}`,
        color: on ? "text.primary" : "text.secondary",
        mb: 0.25,
      }}
    >
      {toggle ?? <span />}
      <div>{children}</div>
      <Box sx={{ typography: "caption", color: "text.secondary", textAlign: "right", pt: 0.4 }}>{limit}</Box>
    </Box>
  );
}
