/** The tier of a model by a countersigner's word, and the form in which they change it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import { useSetTier } from "../../api/models";
import { Said } from "../../parts/Said";
import { useUnsent } from "../../parts/unsent";
import { day } from "../../wording";

export function Tier({ model }: { model: Schemas["ModelPage"] }) {
  const set = useSetTier(model.key);
  const { typed, put, letGo } = useUnsent(`brookfall.tier.${model.key}`, { tier: "", reason: "" });
  const { tier } = model;
  return (
    <Box component="section" aria-label="Tier" sx={{ mt: 1 }}>
      {tier && (
        <Typography>
          Of tier {tier.tier} by the word of {tier.by}, {day(tier.at)}: {tier.reason}
        </Typography>
      )}
      {model.may_set_tier && (
        <Box component="details">
          <Box component="summary" sx={{ cursor: "pointer", color: "primary.main", fontWeight: 550 }}>
            Change its tier
          </Box>
          <Box
            component="form"
            aria-label="Change the tier"
            sx={{ display: "grid", gap: 1.5, mt: 1.5, maxWidth: 620, justifyItems: "start" }}
            onSubmit={(event) => {
              event.preventDefault();
              set.mutate({ tier: Number(typed.tier), reason: typed.reason }, { onSuccess: letGo });
            }}
          >
            <Typography sx={{ color: "text.secondary" }}>
              Versions sent from now on are of this tier, whatever they declare, and so are cases whose plan is not
              locked: their limits become that tier&rsquo;s. What was locked or signed stays.
            </Typography>
            <TextField
              select
              label="Tier"
              value={typed.tier}
              onChange={(event) => put({ tier: event.target.value })}
              sx={{ width: 120 }}
            >
              {[1, 2, 3].map((one) => (
                <MenuItem key={one} value={String(one)}>
                  {one}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              fullWidth
              multiline
              label="Why it is of another tier"
              value={typed.reason}
              onChange={(event) => put({ reason: event.target.value })}
            />
            <Button type="submit" variant="outlined" disabled={set.isPending || !typed.tier || !typed.reason.trim()}>
              Change the tier
            </Button>
            <Said error={set.error} />
          </Box>
        </Box>
      )}
    </Box>
  );
}
