/** How a model stands today, in a word: what may no longer be relied on stands out. */
import Box from "@mui/material/Box";
import type { Schemas } from "../../api/client";
import { modelStanding } from "../../wording";

type ModelStanding = Schemas["ModelLine"]["standing"];

const COLOURS: Partial<Record<ModelStanding, string>> = {
  lapsed: "brook.brick",
  not_approved: "brook.brick",
  conditional: "brook.ochre",
  superseded: "text.secondary",
  withdrawn: "text.secondary",
  never_decided: "text.secondary",
};

export function Today({ standing }: { standing: ModelStanding }) {
  return (
    <Box component="span" sx={{ fontWeight: 550, color: COLOURS[standing], whiteSpace: "nowrap" }}>
      {modelStanding(standing)}
    </Box>
  );
}
