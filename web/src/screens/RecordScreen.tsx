/** The record: every act, newest first, with what was before and after; and the chain verified. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useRecord, useVerify } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Pager } from "../parts/Pager";
import { Fetching, Said } from "../parts/Said";
import { count, moment, plural } from "../wording";

export function RecordScreen() {
  const [search, setSearch] = useSearchParams();
  const page = Number(search.get("page") ?? 1);
  const caseId = Number(search.get("case")) || null;
  const record = useRecord(caseId, page);
  const verify = useVerify();
  if (record.isPending) return <Fetching what="the record" />;
  if (!record.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={record.error} />
      </Box>
    );
  const turn = (to: number) => setSearch({ ...(caseId ? { case: String(caseId) } : {}), page: String(to) });
  return (
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Record</Typography>
        <Typography sx={{ color: "text.secondary" }}>
          {plural(record.data.total, "entry", "entries")}
          {caseId && (
            <>
              {" "}
              of one case; <Link to="/record">all cases</Link>
            </>
          )}
          . Each carries the hash of the one before, and is signed from when there was a key; nothing here can be
          changed.
        </Typography>
        <Button sx={{ ml: "auto" }} variant="outlined" disabled={verify.isPending} onClick={() => verify.mutate()}>
          Verify the chain
        </Button>
      </Box>
      <Said error={verify.error} />
      {verify.data && (
        <Typography role="status" sx={{ mb: 1, color: verify.data.fault ? "brook.brick" : "primary.main" }}>
          {verify.data.fault ? `Amiss: ${verify.data.fault}.` : holds(verify.data)}
        </Typography>
      )}
      <DataTable
        close
        wide
        label="Record"
        rows={record.data.entries}
        keyOf={(entry) => entry.id}
        row={() => ({ sx: { verticalAlign: "top" } })}
        columns={[
          { head: "entry", cell: (entry) => entry.id },
          { head: "when", sx: { whiteSpace: "nowrap" }, cell: (entry) => moment(entry.at) },
          { head: "who", sx: { whiteSpace: "nowrap" }, cell: (entry) => entry.who },
          {
            head: "what",
            cell: (entry) => (
              <>
                {entry.act}: {entry.subject}
                {entry.case_id && !caseId && (
                  <>
                    {" "}
                    (<Link to={`/record?case=${entry.case_id}`}>case {entry.case_id}</Link>)
                  </>
                )}
              </>
            ),
          },
          {
            head: "before and after",
            sx: { maxWidth: 380 },
            cell: (entry) => <Change before={entry.before} after={entry.after} />,
          },
          {
            head: "hash",
            sx: { fontSize: "size.note", color: "text.secondary" },
            cell: (entry) => `${entry.hash.slice(0, 12)}…`,
          },
        ]}
      />
      <Pager page={page} total={record.data.total} onTurn={turn} />
    </Box>
  );
}

function holds({ entries, head, signed_from, statements, anchors }: Schemas["ChainView"]): string {
  const signed = signed_from ? `signed from entry ${count(signed_from)} on` : "none of them signed";
  const outside = anchors > 0 ? `, ${plural(anchors, "anchor")} outside the database agree` : "";
  return (
    `All ${count(entries)} entries hold, ${signed}; the last hash is ${head.slice(0, 24)}…. ` +
    `${plural(statements, "signed statement")} and what they name are whole${outside}.`
  );
}

function Change({ before, after }: { before: string; after: string }) {
  const texts = [before, after].filter((text) => text !== "null");
  if (texts.length === 0) return null;
  const whole = texts.join(" → ");
  return (
    <details>
      <summary style={{ cursor: "pointer", overflowWrap: "anywhere" }}>
        {whole.length > 44 ? `${whole.slice(0, 43)}…` : whole}
      </summary>
      <Box component="pre" sx={{ whiteSpace: "pre-wrap", wordBreak: "break-word", fontSize: "size.note" }}>
        {texts.map((text) => JSON.stringify(JSON.parse(text), null, 1)).join("\n→\n")}
      </Box>
    </details>
  );
}
