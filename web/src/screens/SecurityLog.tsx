/** The security log, for administrators: who signed in from where, who was refused, what tokens were made. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import { useSecurityLog } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Pager } from "../parts/Pager";
import { Fetching, Said } from "../parts/Said";
import { moment, plural } from "../wording";

const AMISS = new Set(["refused to sign in", "refused a signature", "refused a token", "throttled"]);

export function SecurityLog() {
  const [search, setSearch] = useSearchParams();
  const page = Number(search.get("page") ?? 1);
  const log = useSecurityLog(page);
  if (log.isPending) return <Fetching what="the security log" />;
  if (!log.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={log.error} />
      </Box>
    );
  return (
    <Main>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Security log</Typography>
        <Typography sx={{ color: "text.secondary" }}>
          {plural(log.data.total, "line")}. Guesses that came too fast have one line a minute; nothing here can be
          changed.
        </Typography>
      </Box>
      <DataTable
        close
        wide
        label="Security log"
        rows={log.data.events}
        keyOf={(event) => event.id}
        columns={[
          { head: "when", sx: { whiteSpace: "nowrap" }, cell: (event) => moment(event.at) },
          {
            head: "what",
            cell: (event) => (
              <Box component="span" sx={AMISS.has(event.what) ? { color: "brook.brick" } : undefined}>
                {event.what}
              </Box>
            ),
          },
          { head: "who", cell: (event) => event.who || "unknown" },
          { head: "from", cell: (event) => event.address || "the server" },
          { head: "more", sx: { overflowWrap: "anywhere" }, cell: (event) => event.detail },
        ]}
      />
      <Pager page={page} total={log.data.total} onTurn={(to) => setSearch({ page: String(to) })} />
    </Main>
  );
}
