/** The record: every act, newest first, with what it changed in words; narrowed, saved, and the chain verified. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { fileOf, useRecord, useVerify, type Entry } from "../../api/record";
import { DataTable } from "../../parts/DataTable";
import { Main } from "../../parts/Main";
import { Pager } from "../../parts/Pager";
import { Fetching, Said } from "../../parts/Said";
import { count, decision, moment, plural } from "../../wording";
import { Changes } from "./Changes";
import { Narrowing, useRecordQuery } from "./narrowing";

export function RecordScreen({ verifies }: { verifies: boolean }) {
  const { query, put } = useRecordQuery();
  const record = useRecord(query);
  const verify = useVerify();
  if (record.isPending) return <Fetching what="the record" />;
  if (!record.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={record.error} />
        <Link to="/record">The whole record</Link>
      </Box>
    );
  const { entries, total, people, models } = record.data;
  return (
    <Main>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Record</Typography>
        <Typography sx={{ color: "text.secondary" }}>
          {plural(total, "entry", "entries")}. Each carries the hash of the one before, and is signed from when there
          was a key; nothing here can be changed.
        </Typography>
        {verifies && (
          <Button
            sx={{ ml: "auto", flex: "none" }}
            variant="outlined"
            disabled={verify.isPending}
            onClick={() => verify.mutate()}
          >
            Verify the chain
          </Button>
        )}
      </Box>
      <Said error={verify.error ?? record.error} />
      {verify.data && (
        <Typography role="status" sx={{ mb: 1, color: verify.data.fault ? "brook.brick" : "primary.main" }}>
          {verify.data.fault ? `Amiss: ${verify.data.fault}.` : holds(verify.data)}
        </Typography>
      )}
      <Box sx={{ display: "flex", gap: 3, alignItems: "baseline", justifyContent: "space-between", mb: 1 }}>
        <Narrowing query={query} people={people} models={models} onPut={put} />
        {total > 0 && (
          <Box sx={{ flex: "none" }}>
            Save them as{" "}
            <a href={fileOf(query, "csv")} download>
              CSV
            </a>{" "}
            or{" "}
            <a href={fileOf(query, "jsonl")} download>
              JSON lines
            </a>
          </Box>
        )}
      </Box>
      {total === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>
          No entry is like that. <Link to="/record">Show all</Link>.
        </Typography>
      ) : (
        <DataTable
          close
          wide
          label="Record"
          rows={entries}
          keyOf={(entry) => entry.id}
          row={() => ({ sx: { verticalAlign: "top" } })}
          columns={[
            { head: "entry", cell: (entry) => entry.id },
            { head: "when", sx: { whiteSpace: "nowrap" }, cell: (entry) => moment(entry.at) },
            { head: "who", sx: { whiteSpace: "nowrap" }, cell: (entry) => entry.who },
            { head: "did what", sx: { minWidth: 240 }, cell: (entry) => <Act entry={entry} /> },
            {
              head: "changed",
              sx: { minWidth: 300 },
              cell: (entry) => <Changes changes={entry.changes} />,
            },
            {
              head: "hash",
              sx: { fontSize: "size.note", color: "text.secondary" },
              cell: (entry) => `${entry.hash.slice(0, 8)}…`,
            },
          ]}
        />
      )}
      <Pager page={query.page ?? 1} total={total} onTurn={(page) => put({ page })} />
    </Main>
  );
}

/** What was done, to which thing, of which case. */
function Act({ entry }: { entry: Entry }) {
  const ofCase = entry.subject === entry.case;
  return (
    <>
      {entry.act}
      {!ofCase && entry.subject && `: ${entry.kind === "decision" ? decision(entry.subject) : entry.subject}`}
      {entry.case_id && entry.case && (
        <>
          {ofCase ? ": " : ", "}
          <Link to={`/cases/${entry.case_id}/brief`}>{entry.case}</Link>
        </>
      )}
    </>
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
