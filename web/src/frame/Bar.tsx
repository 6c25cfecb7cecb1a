/** The slim bar over everything. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { NavLink, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { useInbox } from "../api/inbox";
import { useSignOut } from "../api/queries";
import { SERIF } from "../theme";
import { useKeys } from "./keys";

const SEE_RETENTION = new Set(["administrator", "countersigner", "auditor"]);

export function Bar({ me }: { me: Schemas["PersonView"] }) {
  const signOut = useSignOut();
  const go = useNavigate();
  const seesCases = me.reads_all || me.roles.includes("owner");
  useKeys(seesCases ? [{ keys: "/", does: "search", act: () => void go("/search") }] : []);
  return (
    <Box
      component="header"
      sx={{
        display: "flex",
        alignItems: "center",
        columnGap: 3,
        flexWrap: "wrap",
        minHeight: 44,
        flex: "none",
        px: 3,
        borderBottom: 1,
        borderColor: "divider",
        color: "text.secondary",
        "@media print": { display: "none" },
      }}
    >
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, color: "text.primary" }}>
        <svg width={22} height={22} viewBox="0 0 22 22" aria-hidden="true">
          <path
            d="M2 5h6v5h6v5h6"
            fill="none"
            stroke="var(--mui-palette-primary-main)"
            strokeWidth={2.4}
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        </svg>
        <Box component="b" sx={{ fontFamily: SERIF, fontSize: "size.head", fontWeight: 600 }}>
          Brookfall
        </Box>
      </Box>
      <Box
        component="nav"
        aria-label="Brookfall"
        sx={{
          display: "flex",
          flexWrap: "wrap",
          columnGap: 3,
          "& a": { textDecoration: "none", py: 1 },
          "& a.active": { color: "text.primary", fontWeight: 550 },
        }}
      >
        <NavLink to="/" end>
          Docket
        </NavLink>
        {seesCases && <InboxLink />}
        {seesCases && <NavLink to="/models">Models</NavLink>}
        {me.roles.includes("owner") && <NavLink to="/submit">Submit a model</NavLink>}
        <NavLink to="/policies">Policies</NavLink>
        {seesCases && <NavLink to="/record">Record</NavLink>}
        {me.roles.some((role) => SEE_RETENTION.has(role)) && <NavLink to="/retention">Retention</NavLink>}
        {me.roles.includes("administrator") && <NavLink to="/people">People</NavLink>}
        {me.roles.includes("administrator") && <NavLink to="/security">Security log</NavLink>}
        <NavLink to="/methods">Methods</NavLink>
        {seesCases && <NavLink to="/search">Search</NavLink>}
      </Box>
      <Box sx={{ ml: "auto", display: "flex", gap: 2, alignItems: "center" }}>
        <Box
          component={NavLink}
          to="/you"
          sx={{ textDecoration: "none", py: 1, "&.active": { color: "text.primary", fontWeight: 550 } }}
        >
          {me.name}, {me.roles.join(", ")}
        </Box>
        <Button color="inherit" onClick={() => signOut.mutate(undefined, { onSuccess: () => void go("/") })}>
          Sign out
        </Button>
      </Box>
    </Box>
  );
}

/** The way to the inbox, with how much waits there. */
function InboxLink() {
  const inbox = useInbox(1);
  return <NavLink to="/inbox">Inbox{inbox.data && inbox.data.total > 0 ? ` ${inbox.data.total}` : ""}</NavLink>;
}
