/** Where one is signed in, each to be ended. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEndSession, useSessions } from "../../api/people";
import { DataTable } from "../../parts/DataTable";
import { Said } from "../../parts/Said";
import { moment } from "../../wording";

export function OwnSessions() {
  const sessions = useSessions();
  const end = useEndSession();
  if (!sessions.data) return <Said error={sessions.error} />;
  return (
    <Box component="section" aria-label="Where you are signed in" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Where you are signed in
      </Typography>
      <Said error={end.error} />
      <DataTable
        wide
        label="Your sessions"
        rows={sessions.data}
        keyOf={(one) => one.id}
        columns={[
          { head: "from", cell: (one) => one.address || "the server" },
          { head: "since", sx: { whiteSpace: "nowrap" }, cell: (one) => moment(one.began) },
          { head: "last used", sx: { whiteSpace: "nowrap" }, cell: (one) => moment(one.seen) },
          {
            cell: (one) =>
              one.this ? (
                "here"
              ) : (
                <Button
                  aria-label={`End the session from ${one.address} since ${moment(one.began)}`}
                  disabled={end.isPending}
                  onClick={() => end.mutate(one.id)}
                >
                  End it
                </Button>
              ),
          },
        ]}
      />
    </Box>
  );
}
