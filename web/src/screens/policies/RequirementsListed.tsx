/** What a policy lists as asked from outside; in a draft a file of requirements can be taken in. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTakeRequirements, type PolicyPage } from "../../api/policies";
import { DataTable } from "../../parts/DataTable";
import { Said } from "../../parts/Said";

export function RequirementsListed({ page }: { page: PolicyPage }) {
  const { head, policy, may_change: may } = page;
  return (
    <Box component="section" aria-label="What is asked from outside">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What is asked from outside
      </Typography>
      {policy.requirements.length === 0 && (
        <Typography sx={{ color: "text.secondary" }}>
          No outside requirement is listed: no law, guidance or standard that a case would have to answer.
        </Typography>
      )}
      {policy.requirements.map((list) => (
        <DataTable
          key={list.name}
          wide
          close
          label={list.name}
          caption={`${list.name}. ${list.source}`}
          rows={list.requirements}
          keyOf={(one) => one.id}
          columns={[
            { head: "requirement", namesRow: true, sx: { width: 100 }, cell: (one) => one.id },
            { head: "asks", sx: { width: "45%" }, cell: (one) => one.asks },
            { head: "of tiers", cell: (one) => one.tiers.join(", ") },
            {
              head: "answered by",
              cell: (one) =>
                [
                  ...(one.checks ?? []).map((name) => name.replaceAll("_", " ")),
                  ...(one.statements ?? []).map((name) => `the statement on ${name.replaceAll("_", " ")}`),
                  ...(one.acts ?? []).map((act) => `somebody ${act}`),
                ].join("; "),
            },
          ]}
          sx={{ mb: 1.5 }}
        />
      ))}
      {head && may && <TakeIn policyId={head.id} revision={head.revision} />}
    </Box>
  );
}

function TakeIn({ policyId, revision }: { policyId: number; revision: number }) {
  const take = useTakeRequirements(policyId);
  const choose = async (file: File | undefined) => {
    if (file) take.mutate({ revision, file: file.name, text: await file.text() });
  };
  return (
    <>
      <label>
        Take requirements in from a YAML file; those of the same name give way:{" "}
        <input
          type="file"
          accept=".yaml,.yml"
          disabled={take.isPending}
          onChange={(event) => {
            void choose(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </label>
      <Said error={take.error} />
    </>
  );
}
