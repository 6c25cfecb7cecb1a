/** The search: words typed at the top, below what has them all, kind by kind. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link, useSearchParams } from "react-router";
import { placeOf } from "../../api/inbox";
import { useSearch, type Found } from "../../api/search";
import { Main } from "../../parts/Main";
import { Said } from "../../parts/Said";
import { count } from "../../wording";
import { marked, snippet, type Piece } from "./snippet";

const KINDS: readonly [Found["kind"], string][] = [
  ["model", "Models"],
  ["case", "Cases"],
  ["finding", "Findings"],
  ["exhibit", "Exhibits"],
  ["question", "Questions to the owner"],
  ["person", "People"],
];

export function SearchScreen() {
  const [search, setSearch] = useSearchParams();
  const asked = search.get("words") ?? "";
  return (
    <Main>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Search
      </Typography>
      <Asking key={asked} asked={asked} onAsk={(words) => setSearch(words ? { words } : {})} />
      <Results asked={asked} />
    </Main>
  );
}

function Asking({ asked, onAsk }: { asked: string; onAsk: (words: string) => void }) {
  const [typed, setTyped] = useState(asked);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onAsk(typed.trim());
  };
  return (
    <Box component="form" role="search" onSubmit={submit} sx={{ display: "flex", gap: 1, maxWidth: 620, mb: 2 }}>
      <TextField
        fullWidth
        autoFocus
        label="Words"
        placeholder="of a model, a finding, an answer; parts of words too"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 200 } }}
      />
      <Button type="submit" variant="contained" disabled={!typed.trim()}>
        Find
      </Button>
    </Box>
  );
}

function Results({ asked }: { asked: string }) {
  const result = useSearch(asked);
  if (!asked) return null;
  if (result.error) return <Said error={result.error} />;
  if (!result.data) return null;
  const { found, totals, words } = result.data;
  if (found.length === 0)
    return (
      <Typography role="status" sx={{ color: "text.secondary" }}>
        Nothing that you may see has {words.length === 1 ? "this word" : "all these words"}.
      </Typography>
    );
  return (
    <>
      {KINDS.filter(([kind]) => totals[kind]).map(([kind, title]) => {
        const of = found.filter((one) => one.kind === kind);
        const more = (totals[kind] ?? 0) - of.length;
        return (
          <Box component="section" aria-label={title} key={kind} sx={{ mb: 2.5, maxWidth: 860 }}>
            <Typography variant="h2" sx={{ mb: 0.5 }}>
              {title}{" "}
              <Box component="span" sx={{ color: "text.secondary", fontSize: "size.small", fontWeight: 400 }}>
                {count(totals[kind] ?? 0)}
              </Box>
            </Typography>
            <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0 }}>
              {of.map((one) => (
                <Box
                  component="li"
                  key={`${one.case_id} ${one.place} ${one.title}`}
                  sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}
                >
                  {kind === "person" ? (
                    <Pieces of={marked(one.title, words)} />
                  ) : (
                    <Link to={placeOf(one)}>
                      <Pieces of={marked(one.title, words)} />
                    </Link>
                  )}
                  <Typography variant="body2" sx={{ color: "text.secondary", whiteSpace: "pre-line" }}>
                    <Pieces of={snippet(one.text, words)} />
                  </Typography>
                </Box>
              ))}
            </Box>
            {more > 0 && (
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                and {count(more)} more; another word narrows them.
              </Typography>
            )}
          </Box>
        );
      })}
    </>
  );
}

function Pieces({ of }: { of: readonly Piece[] }) {
  return (
    <>
      {of.map((piece, place) =>
        piece.found ? (
          <Box component="mark" key={place} sx={{ bgcolor: "brook.pale", color: "inherit" }}>
            {piece.text}
          </Box>
        ) : (
          <span key={place}>{piece.text}</span>
        ),
      )}
    </>
  );
}
