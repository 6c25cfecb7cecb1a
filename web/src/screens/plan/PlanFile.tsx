/** The plan as a file, and beside the plan of another case: what would change is shown before it is taken over. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import type { Plan as PlanBody, Schemas } from "../../api/client";
import { useComparePlan, useOtherPlans, useReadPlan } from "../../api/queries";
import { useCompareHousePlan, useHousePlans, useKeepPlan } from "../../api/templates";
import { InlineChoice } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { plural } from "../../wording";

export function PlanFile({
  caseId,
  editable,
  onTake,
  onName,
}: {
  caseId: number;
  editable: boolean;
  onTake: (plan: PlanBody) => void;
  /** Opens the form that names this plan, while it has no name. */
  onName: (() => void) | undefined;
}) {
  const others = useOtherPlans(caseId);
  const compare = useComparePlan(caseId);
  const read = useReadPlan(caseId);
  const input = useRef<HTMLInputElement>(null);
  const plans = useHousePlans(caseId);
  const comparePlan = useCompareHousePlan(caseId);
  const keep = useKeepPlan(caseId);
  const [keeping, setKeeping] = useState<string | null>(null);
  const shown = read.data ?? compare.data ?? comparePlan.data;
  const putAway = () => {
    read.reset();
    compare.reset();
    comparePlan.reset();
  };
  return (
    <Box component="section" aria-label="This plan and others" sx={{ py: 1.5, borderTop: 1, borderColor: "divider" }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>
        This plan and others
      </Typography>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap", fontSize: "size.text" }}>
        <a href={`/api/cases/${caseId}/plan/file`} download>
          Save it as YAML
        </a>
        {onName && <Button onClick={onName}>Name this plan</Button>}
        <Button onClick={() => input.current?.click()}>Read one from a file</Button>
        {keeping === null && plans.data && <Button onClick={() => setKeeping("")}>Keep it for the house</Button>}
        <input
          ref={input}
          type="file"
          accept=".yaml,.yml"
          hidden
          aria-label="Plan file"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            putAway();
            if (file) read.mutate(file);
            event.target.value = "";
          }}
        />
        {others.data && others.data.length > 0 && (
          <span>
            Set it beside the plan of{" "}
            <InlineChoice
              name="Set it beside the plan of"
              value=""
              disabled={compare.isPending}
              onSet={(id) => {
                putAway();
                compare.mutate(Number(id));
              }}
              options={[
                ["", "another case"] as const,
                ...others.data.map(
                  (one) =>
                    [
                      String(one.case_id),
                      `${one.model} ${one.version}${one.name && `: ${one.name}`}${one.locked ? "" : ", not locked"}`,
                    ] as const,
                ),
              ]}
            />
          </span>
        )}
      </Box>
      {plans.data && plans.data.length > 0 && (
        <Typography sx={{ fontSize: "size.text" }}>
          Or beside a plan of the house:{" "}
          <InlineChoice
            name="Set it beside a plan of the house"
            value=""
            disabled={comparePlan.isPending}
            onSet={(id) => {
              putAway();
              comparePlan.mutate(Number(id));
            }}
            options={[["", "none"] as const, ...plans.data.map((one) => [String(one.id), one.name] as const)]}
          />
        </Typography>
      )}
      {keeping !== null && (
        <Box
          component="form"
          aria-label="Keep the plan for the house"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate(keeping, { onSuccess: () => setKeeping(null) });
          }}
          sx={{ display: "flex", gap: 1, mt: 1, maxWidth: 620 }}
        >
          <TextField
            required
            autoFocus
            fullWidth
            label="What the house calls this plan"
            value={keeping}
            onChange={(event) => setKeeping(event.target.value)}
          />
          <Button type="submit" variant="outlined" disabled={keep.isPending || !keeping.trim()} sx={{ flex: "none" }}>
            Keep it
          </Button>
          <Button onClick={() => setKeeping(null)} sx={{ flex: "none" }}>
            Leave it
          </Button>
        </Box>
      )}
      <Said error={read.error ?? compare.error ?? others.error ?? comparePlan.error ?? keep.error} />
      {shown && (
        <Compared
          shown={shown}
          editable={editable}
          onTake={() => {
            onTake(shown.plan);
            putAway();
          }}
          onAway={putAway}
        />
      )}
    </Box>
  );
}

function Compared({
  shown,
  editable,
  onTake,
  onAway,
}: {
  shown: Schemas["ComparedPlan"];
  editable: boolean;
  onTake: () => void;
  onAway: () => void;
}) {
  return (
    <Box role="region" aria-label="What the other plan would change" sx={{ mt: 1 }}>
      <Typography variant="body2">
        {shown.changes.length === 0
          ? `The plan of ${shown.title} asks for just the same.`
          : `Taking over the plan of ${shown.title} would change ${plural(shown.changes.length, "thing")} here:`}
      </Typography>
      <Box component="ul" sx={{ m: 0, pl: 2.5, fontSize: "size.text", columns: shown.changes.length > 6 ? 2 : 1 }}>
        {shown.changes.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </Box>
      {editable && shown.changes.length > 0 && (
        <Button variant="contained" sx={{ mt: 1, mr: 1 }} onClick={onTake}>
          Take it over
        </Button>
      )}
      <Button sx={{ mt: 1 }} onClick={onAway}>
        Put it away
      </Button>
    </Box>
  );
}
