/** The team that a model is of, by its owner's word. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Schemas } from "../../api/client";
import { useSayTeam } from "../../api/models";
import { Said } from "../../parts/Said";

const NONE = "";

export function TeamOf({ model }: { model: Schemas["ModelPage"] }) {
  const say = useSayTeam(model.key);
  if (!model.may_change_people) return model.team ? <p>Of the team {model.team}.</p> : null;
  if (model.teams.length === 0 && !model.team) return null;
  const names = model.team && !model.teams.includes(model.team) ? [model.team, ...model.teams] : model.teams;
  return (
    <Box sx={{ mt: 1.5, mb: 1.5 }}>
      <TextField
        select
        label="Team"
        value={model.team ?? NONE}
        disabled={say.isPending}
        onChange={(event) => say.mutate(event.target.value === NONE ? null : event.target.value)}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        sx={{ width: 320 }}
      >
        <MenuItem value={NONE}>of no team</MenuItem>
        {names.map((name) => (
          <MenuItem key={name} value={name}>
            {name}
          </MenuItem>
        ))}
      </TextField>
      <Said error={say.error} />
    </Box>
  );
}
