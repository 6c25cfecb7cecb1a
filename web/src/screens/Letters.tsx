/** The letters that were written to whoever looks, the newest first, and whether each was sent. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useLetters } from "../api/letters";
import { Main } from "../parts/Main";
import { Fetching, Said } from "../parts/Said";
import { moment } from "../wording";

const STATES: Record<string, string> = { waiting: "not sent yet", sent: "sent", failed: "could not be sent" };

export function Letters() {
  const letters = useLetters();
  return (
    <Main>
      <Box sx={{ maxWidth: 860 }}>
        <Typography variant="h1">Letters written to you</Typography>
        <Typography sx={{ color: "text.secondary", mb: 1 }}>
          The last twenty. <Link to="/you">Where they go, and when</Link>
        </Typography>
        <Said error={letters.error} />
        {letters.isPending && <Fetching what="your letters" />}
        {letters.data?.length === 0 && <Typography>None was written yet.</Typography>}
        {letters.data?.map((letter) => (
          <Box
            key={letter.id}
            component="details"
            sx={{ borderTop: 1, borderColor: "divider", py: 1 }}
            open={letter.id === letters.data[0]?.id}
          >
            <Box component="summary" sx={{ cursor: "pointer" }}>
              <b style={{ fontWeight: 550 }}>{letter.subject}</b>{" "}
              <Box component="span" sx={{ color: letter.state === "failed" ? "brook.brick" : "text.secondary" }}>
                {moment(letter.written)}, {STATES[letter.state] ?? letter.state}
                {letter.said && `: ${letter.said}`}
              </Box>
            </Box>
            <Box
              component="pre"
              sx={{ font: "inherit", whiteSpace: "pre-wrap", overflowWrap: "anywhere", m: 0, mt: 1 }}
            >
              {letter.text}
            </Box>
          </Box>
        ))}
      </Box>
    </Main>
  );
}
