/** The inventory: a line a model, how it stands today, whose it is, and where its newest version stands. */
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { useMe, useModels } from "../api/queries";
import { Main } from "../parts/Main";
import { addressNow } from "../parts/address";
import { DataTable } from "../parts/DataTable";
import { Pager } from "../parts/Pager";
import { Fetching, Said } from "../parts/Said";
import { SERIF } from "../theme";
import { day, outcome, plural } from "../wording";
import { Marks, QuestionHeads } from "./Docket";
import { Today } from "./models/Today";

const SIZE = 50;

export function Models() {
  const [search, setSearch] = useSearchParams();
  const page = Number(search.get("page") ?? 1);
  const words = search.get("words") ?? "";
  const models = useModels({ page, ...(words && { words }) });
  const me = useMe();
  if (models.isPending) return <Fetching what="the models" />;
  if (!models.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={models.error} />
      </Box>
    );
  return (
    <Main>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1.5 }}>
        <Typography variant="h1">Models</Typography>
        {(models.data.total > SIZE || words) && (
          <TextField
            label="Name, key or owner"
            defaultValue={words}
            onChange={(event) => setSearch(event.target.value ? { words: event.target.value } : {}, { replace: true })}
            sx={{ ml: "auto", width: 260 }}
          />
        )}
      </Box>
      {models.data.total === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>
          {words
            ? "No model is like that."
            : me.data?.roles.includes("owner")
              ? "Models that you submit, or belong to, are listed here."
              : "Models are listed here once an owner has submitted a version."}
        </Typography>
      ) : (
        <DataTable
          wide
          label="Models"
          rows={models.data.models}
          keyOf={(model) => model.key}
          columns={[
            {
              head: "model",
              namesRow: true,
              cell: (model) => (
                <Link to={`/models/${model.key}`} style={{ textDecoration: "none" }}>
                  <Box component="span" sx={{ fontFamily: SERIF, fontSize: "size.lead", fontWeight: 560 }}>
                    {model.name}
                  </Box>
                  <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>{model.key}</Box>
                </Link>
              ),
            },
            {
              head: "today",
              cell: (model) => (
                <Box title={model.counts ? `Version ${model.counts}: ${model.why}` : model.why}>
                  <Today standing={model.standing} />
                </Box>
              ),
            },
            { head: "in use", cell: (model) => model.in_use ?? "none named" },
            { head: "next review", sx: { whiteSpace: "nowrap" }, cell: (model) => day(model.review) || "none" },
            {
              head: "to be met, to be answered",
              cell: (model) =>
                [
                  model.conditions > 0 && plural(model.conditions, "condition"),
                  model.findings > 0 && plural(model.findings, "finding"),
                ]
                  .filter(Boolean)
                  .join(", ") || "nothing",
            },
            { head: "outcome, tier", cell: ({ newest }) => `${outcome(newest.outcome)}, ${newest.tier}` },
            { head: "owner, members", cell: (model) => [model.owner, ...model.members].join(", ") },
            {
              head: "newest version",
              cell: ({ newest, versions }) => (
                <>
                  <Link to={`/cases/${newest.id}`}>{newest.version}</Link>, {newest.stands}
                  {versions > 1 && (
                    <Box sx={{ fontSize: "size.small", color: "text.secondary" }}>of {versions} versions</Box>
                  )}
                </>
              ),
            },
            { head: <QuestionHeads />, cell: ({ newest }) => <Marks line={newest} /> },
          ]}
        />
      )}
      <Pager
        page={page}
        total={models.data.total}
        size={SIZE}
        words={["Before", "After"]}
        onTurn={(to) => {
          const next = addressNow();
          next.set("page", String(to));
          setSearch(next);
        }}
      />
    </Main>
  );
}
