/** What an entry changed, value by value: the first few, and the rest behind a line that opens. */
import Box from "@mui/material/Box";
import type { Schemas } from "../../api/client";
import { plural } from "../../wording";

type Change = Schemas["ValueChangeView"];

const AT_ONCE = 4;

export function Changes({ changes }: { changes: Change[] }) {
  const shown = changes.length > AT_ONCE + 1 ? changes.slice(0, AT_ONCE) : changes;
  const more = changes.slice(shown.length);
  return (
    <>
      <List changes={shown} />
      {more.length > 0 && (
        <details>
          <summary style={{ cursor: "pointer" }}>{plural(more.length, "more value")}</summary>
          <List changes={more} />
        </details>
      )}
    </>
  );
}

function List({ changes }: { changes: Change[] }) {
  if (changes.length === 0) return null;
  return (
    <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0, overflowWrap: "anywhere" }}>
      {changes.map((one, place) => (
        <li key={place}>
          {one.what && <Box component="span" sx={{ color: "text.secondary" }}>{`${one.what}: `}</Box>}
          {inWords(one)}
        </li>
      ))}
    </Box>
  );
}

/** As it was and as it is. */
export function inWords({ before, after }: Pick<Change, "before" | "after">): string {
  if (before === null) return after ?? "nothing";
  return after === null ? `no longer ${before}` : `${before} → ${after}`;
}
