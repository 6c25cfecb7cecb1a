/** What is asked of a case from outside, by its policy: what answers each requirement, and what is open. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useRequirements } from "../api/policies";
import { DataTable } from "../parts/DataTable";
import { plural } from "../wording";

export function Requirements({ caseId }: { caseId: number }) {
  const { data } = useRequirements(caseId);
  if (!data || data.requirements.length === 0) return null;
  return (
    <Box component="section" aria-label="What is asked from outside" sx={{ mt: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What is asked from outside
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 0.5 }}>
        {data.open === 0
          ? "Every requirement that the policy lists is answered."
          : `${data.open} of ${plural(data.requirements.length, "requirement")} that the policy lists ${data.open === 1 ? "is" : "are"} open.`}
      </Typography>
      <DataTable
        wide
        label="What is asked from outside"
        rows={data.requirements}
        keyOf={(one) => `${one.of} ${one.id}`}
        columns={[
          { head: "requirement", namesRow: true, cell: (one) => `${one.of}, ${one.id}` },
          { head: "asks", sx: { width: "40%" }, cell: (one) => one.asks },
          { head: "answered by", cell: (one) => one.by.join("; ") },
          {
            head: "open",
            cell: (one) => (
              <Box component="span" sx={{ color: "brook.ochre" }}>
                {one.missing.join("; ")}
              </Box>
            ),
          },
        ]}
      />
    </Box>
  );
}
