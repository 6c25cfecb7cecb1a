/** What changed between any two versions of a model, and how the figures that are judged differ. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useBetween } from "../../api/models";
import { InlineChoice } from "../../parts/Inline";
import { Fetching, Said } from "../../parts/Said";
import { ExhibitDifference } from "../findings/RetestFigures";

export function Between({ model }: { model: Schemas["ModelPage"] }) {
  const lines = model.versions.map(({ line }) => line);
  const [chosen, setChosen] = useState<{ before?: number; after?: number }>({});
  const newest = lines[0];
  const earlier = lines.find((line) => line.version !== newest?.version);
  const before = chosen.before ?? earlier?.id;
  const after = chosen.after ?? newest?.id;
  const found = useBetween(model.key, before, after);
  if (!newest || !earlier) return null;
  const options = lines.map(
    (line) => [String(line.id), line.review > 1 ? `${line.version}, review ${line.review}` : line.version] as const,
  );
  const shown = found.data;
  return (
    <Box component="section" aria-label="What changed">
      <Typography variant="h2" sx={{ mt: 3, mb: 0.5 }}>
        What changed
      </Typography>
      <Box sx={{ mb: 1 }}>
        From{" "}
        <InlineChoice
          name="From version"
          value={String(before)}
          disabled={false}
          options={options}
          onSet={(id) => setChosen({ ...chosen, before: Number(id) })}
        />{" "}
        to{" "}
        <InlineChoice
          name="To version"
          value={String(after)}
          disabled={false}
          options={options}
          onSet={(id) => setChosen({ ...chosen, after: Number(id) })}
        />
        {before === after && ": the same."}
      </Box>
      <Said error={found.error} />
      {found.isLoading && <Fetching what="what changed" />}
      {shown && (
        <>
          {shown.changes.length === 0 && <Typography>What was submitted is the same.</Typography>}
          <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "90px 1fr", gap: 0.5, m: 0, maxWidth: 900 }}>
            {shown.changes.map((one, place) => (
              <Box key={place} sx={{ display: "contents" }}>
                <Box component="dt" sx={{ color: "text.secondary" }}>
                  {one.about === shown.changes[place - 1]?.about ? "" : one.about}
                </Box>
                <Box component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
                  {one.words}
                </Box>
              </Box>
            ))}
          </Box>
          {shown.not_run.map((version) => (
            <Typography key={version} sx={{ mt: 1, color: "text.secondary" }}>
              Nothing of {version} was run, so no figure can be set beside another.
            </Typography>
          ))}
          {shown.exhibits.map((exhibit) => (
            <ExhibitDifference
              key={exhibit.number}
              caseId={before ?? 0}
              exhibit={exhibit}
              old={shown.before}
              fresh={shown.after}
            />
          ))}
        </>
      )}
    </Box>
  );
}
