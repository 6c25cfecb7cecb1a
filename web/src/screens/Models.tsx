/** The inventory: a line a model, how it stands today, whose it is, and where its newest version stands. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useMe, useModels } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Fetching, Said } from "../parts/Said";
import { SERIF } from "../theme";
import { day, outcome, plural } from "../wording";
import { Marks, QuestionHeads } from "./Docket";
import { Today } from "./models/Today";

export function Models() {
  const models = useModels();
  const me = useMe();
  if (models.isPending) return <Fetching what="the models" />;
  if (!models.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={models.error} />
      </Box>
    );
  return (
    <Box component="main" sx={{ p: 3, overflow: "auto" }}>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Models
      </Typography>
      {models.data.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>
          {me.data?.roles.includes("owner")
            ? "Models that you submit, or belong to, are listed here."
            : "Models are listed here once an owner has submitted a version."}
        </Typography>
      ) : (
        <DataTable
          wide
          label="Models"
          rows={models.data}
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
    </Box>
  );
}
