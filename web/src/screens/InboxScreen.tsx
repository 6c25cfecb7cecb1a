/** The inbox: what waits for me, the oldest first, with the one act that ends it; and what others did meanwhile. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link, useNavigate, useSearchParams } from "react-router";
import { placeOf, useChanges, useInbox, useLook, type InboxItem } from "../api/inbox";
import { useTake } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Main } from "../parts/Main";
import { Pager } from "../parts/Pager";
import { Fetching, Said } from "../parts/Said";
import { day, moment, plural } from "../wording";
import { nameOf } from "./docket/nameOf";
import { addressNow } from "../parts/address";

const PAGE = 50;

const ACTS: Record<string, string> = {
  "case take": "Take it",
  "case review": "Go on",
  "case countersign": "Read and answer",
  "question answer": "Answer",
  "question settle": "Read the answer",
  "finding answer": "Answer",
  "finding close": "Judge the answer",
  "finding read": "Read the comment",
  "condition send": "Send evidence",
  "condition meet": "Judge the evidence",
  "condition see": "See it",
  "approval ask_re_review": "Open the model",
};

export function InboxScreen() {
  const [search, setSearch] = useSearchParams();
  const page = Number(search.get("page") ?? 1);
  const inbox = useInbox(page);
  if (inbox.isPending) return <Fetching what="your inbox" />;
  if (!inbox.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={inbox.error} />
      </Box>
    );
  const turn = (name: string) => (to: number) => {
    const next = addressNow();
    next.set(name, String(to));
    setSearch(next);
  };
  return (
    <Main>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Inbox
      </Typography>
      {inbox.data.policy && (
        <Typography sx={{ borderLeft: 3, borderColor: "primary.main", pl: 1.5, py: 0.5, mb: 2 }}>
          The policy <Link to={`/policies/${inbox.data.policy.id}`}>{inbox.data.policy.name}</Link> waits for your
          signature; {inbox.data.policy.proposed_by} proposed it.
        </Typography>
      )}
      <Waits items={inbox.data.items} />
      <Pager page={page} total={inbox.data.total} size={PAGE} words={["Older", "Newer"]} onTurn={turn("page")} />
      <Changes page={Number(search.get("changes") ?? 1)} onTurn={turn("changes")} />
    </Main>
  );
}

function Waits({ items }: { items: readonly InboxItem[] }) {
  const take = useTake();
  const go = useNavigate();
  if (items.length === 0) return <Typography sx={{ color: "text.secondary" }}>Nothing waits for you.</Typography>;
  return (
    <>
      <Said error={take.error} />
      <DataTable
        wide
        label="What waits for you"
        rows={items}
        keyOf={(one) => `${one.case_id} ${one.about} ${one.act}`}
        columns={[
          {
            head: "since",
            sx: { whiteSpace: "nowrap", color: "text.secondary" },
            cell: (one) => day(one.since.slice(0, 10)),
          },
          {
            head: "what",
            namesRow: true,
            sx: { width: "100%" },
            cell: (one) => (
              <>
                <Link to={placeOf(one)}>{nameOf(one)}</Link> {one.waits}
              </>
            ),
          },
          {
            head: "due",
            sx: { whiteSpace: "nowrap" },
            cell: (one) => (one.due ? day(one.due) : ""),
          },
          {
            head: "",
            right: true,
            sx: { whiteSpace: "nowrap" },
            cell: (one) =>
              one.act === "take" ? (
                <Button
                  variant="outlined"
                  aria-label={`Take it: ${nameOf(one)}`}
                  disabled={take.isPending}
                  onClick={() => take.mutate(one.case_id, { onSuccess: () => void go(placeOf(one)) })}
                >
                  {ACTS["case take"]}
                </Button>
              ) : (
                <Button
                  component={Link}
                  to={placeOf(one)}
                  variant="outlined"
                  aria-label={`${ACTS[`${one.about} ${one.act}`]}: ${nameOf(one)}`}
                >
                  {ACTS[`${one.about} ${one.act}`]}
                </Button>
              ),
          },
        ]}
      />
    </>
  );
}

function Changes({ page, onTurn }: { page: number; onTurn: (page: number) => void }) {
  const changes = useChanges(page);
  const look = useLook();
  if (!changes.data) return <Said error={changes.error} />;
  const { seen, changes: lines, total } = changes.data;
  const isNew = (at: string) => seen === null || at > seen;
  const unseen = lines.filter((one) => isNew(one.at)).length;
  return (
    <Box component="section" aria-label="What others did" sx={{ mt: 4 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mb: 0.5 }}>
        <Typography variant="h2">What others did</Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {seen ? `you looked on ${moment(seen)}` : "you have not looked yet"}
          {unseen > 0 && `; ${plural(unseen, "line")} of this page ${unseen === 1 ? "is" : "are"} new`}
        </Typography>
        {unseen > 0 && (
          <Button disabled={look.isPending} onClick={() => look.mutate()} sx={{ ml: "auto" }}>
            I have seen this
          </Button>
        )}
      </Box>
      <Said error={look.error} />
      {lines.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>
          Nobody else has done anything in the cases you have a part in.
        </Typography>
      ) : (
        <DataTable
          close
          wide
          label="What others did"
          rows={lines}
          keyOf={(one) => one.id}
          row={(one) => ({ sx: { "& td": { fontWeight: isNew(one.at) ? 550 : 400 } } })}
          columns={[
            {
              head: "when",
              sx: { whiteSpace: "nowrap", color: "text.secondary" },
              cell: (one) => moment(one.at),
            },
            {
              head: "in",
              sx: { whiteSpace: "nowrap" },
              cell: (one) => (
                <Link to={`/cases/${one.case_id}`}>
                  {one.model} {one.version}
                </Link>
              ),
            },
            {
              head: "what",
              sx: { width: "100%" },
              cell: (one) => `${one.who} ${one.act}${says(one)}`,
            },
          ]}
        />
      )}
      <Pager page={page} total={total} size={PAGE} onTurn={onTurn} />
    </Box>
  );
}

/** What an entry is about, where the case's own name would not say it again. */
function says(one: { subject: string; model: string; version: string }): string {
  return one.subject && one.subject !== `${one.model} ${one.version}` ? `: ${one.subject}` : "";
}
