/** A retest asked for: the version it is made on, and how far it is. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useState } from "react";
import { Link } from "react-router";
import type { Finding } from "../../api/client";
import { isGoingOn, useCancelRetest, useRetest, useVersions, type Retest } from "../../api/findings";
import { InlineChoice } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { listed, plural } from "../../wording";

interface RetestFormProps {
  caseId: number;
  finding: Finding;
  onClose: () => void;
}

export function RetestForm({ caseId, finding, onClose }: RetestFormProps) {
  const versions = useVersions(caseId);
  const retest = useRetest(caseId);
  const said = finding.entries.filter((entry) => entry.answer === "mended").at(-1)?.version;
  const [chosen, setChosen] = useState<string | null>(null);
  const there = versions.data?.map((one) => one.version) ?? [];
  const version = chosen ?? (said && there.includes(said) ? said : there[0]);
  const cited = finding.cites.map((cite) => String(cite.exhibit));
  return (
    <Box
      component="form"
      aria-label={`Retest finding ${finding.number}`}
      sx={{ mt: 1.5, maxWidth: 760 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (version) retest.mutate({ finding, version }, { onSuccess: onClose });
      }}
    >
      {versions.data && version === undefined && "No other version of this model was sent yet."}
      {said && versions.data && !there.includes(said) && (
        <Box sx={{ color: "brook.ochre" }}>Its owner says that {said} mends it; that version was not sent.</Box>
      )}
      {version !== undefined && (
        <>
          {cited.length === 1 ? "Exhibit" : "Exhibits"} {listed(cited)} on the rows and with the recipe of version{" "}
          <InlineChoice
            name="Version"
            value={version}
            disabled={false}
            options={there.map((one) => [one, one === said ? `${one}, said to mend it` : one] as const)}
            onSet={setChosen}
          />
          , under this case&rsquo;s plan, limits and seed. It stands here, and judges nothing in the case of that
          version.
        </>
      )}
      <Said error={versions.error ?? retest.error} />
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button type="submit" variant="contained" disabled={retest.isPending || version === undefined}>
          Retest it
        </Button>
        <Button onClick={onClose}>Close</Button>
      </Box>
    </Box>
  );
}

interface RetestProgressProps {
  caseId: number;
  finding: Finding;
  retest: Retest;
}

export function RetestProgress({ caseId, finding, retest }: RetestProgressProps) {
  const cancel = useCancelRetest(caseId);
  const version = <Link to={`/cases/${retest.on_case_id}/brief`}>{retest.version}</Link>;
  return (
    <Box role="status" aria-label="Retest" sx={{ display: "flex", gap: 1.5, alignItems: "center", mt: 1 }}>
      {isGoingOn(retest) ? (
        <>
          <LinearProgress
            variant="determinate"
            aria-label="Fits made"
            value={retest.needed ? (100 * retest.done) / retest.needed : 0}
            sx={{ width: 120 }}
          />
          <span>
            {retest.state === "waiting" ? "A retest waits for a worker, on version " : "Retested on version "}
            {version}
            {retest.state === "leased" && `: ${retest.done} of ${plural(retest.needed, "fit")} made`}
          </span>
          {finding.may.includes("retest") && (
            <Button disabled={cancel.isPending} onClick={() => cancel.mutate(finding)}>
              Cancel the retest
            </Button>
          )}
        </>
      ) : (
        <Box component="span" sx={{ color: retest.state === "failed" ? "brook.brick" : "text.secondary" }}>
          The retest on version {version} by {retest.by}{" "}
          {retest.state === "failed" ? `could not be made: ${retest.said}` : "was cancelled."}
        </Box>
      )}
      <Said error={cancel.error} />
    </Box>
  );
}
