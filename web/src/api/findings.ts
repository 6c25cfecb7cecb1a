/** Findings of a case, and what is done about each. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Finding, type Schemas } from "./client";
import { sendFile } from "./sendFile";

export type FindingText = Schemas["FindingText"];
export type FindingDone = Schemas["FindingDone"];
export type FindingEntry = Schemas["FindingEntryView"];
export type Retest = Schemas["RetestView"];
export type FindingAct = Finding["may"][number];

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useFindings = (caseId: number) =>
  useQuery({
    queryKey: ["findings", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/findings", at(caseId))),
    // While a worker retests one of them.
    refetchInterval: ({ state }) => (state.data?.some(({ retest }) => isGoingOn(retest)) ? RETEST_MS : false),
  });

const RETEST_MS = 1500;

/** Whether a retest waits for a worker or is with one. */
export const isGoingOn = (retest: Pick<Retest, "state"> | null): boolean =>
  retest !== null && (retest.state === "waiting" || retest.state === "leased");

/** The other versions of the model, on which a finding can be retested. */
export const useVersions = (caseId: number) =>
  useQuery({
    queryKey: ["versions", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/versions", at(caseId))),
  });

/** Does something to a finding, and has all asked anew that it may have changed. */
function useOfFinding<In>(caseId: number, act: (input: In) => Promise<Finding>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    // Also after a refusal: what the page shows may be what another has changed since.
    onSettled: () =>
      Promise.all(
        [["findings", caseId], ["decision", caseId], ["case", caseId], ["docket"]].map((queryKey) =>
          cache.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

interface Saved {
  findingId: number | null;
  revision: number;
  finding: FindingText;
  draft?: boolean;
}

export const useSaveFinding = (caseId: number) =>
  useOfFinding(caseId, async ({ findingId, revision, finding, draft = false }: Saved) =>
    findingId === null
      ? told(await client.POST("/api/cases/{case_id}/findings", { ...at(caseId), body: { finding, draft } }))
      : told(
          await client.PUT("/api/cases/{case_id}/findings/{finding_id}", {
            params: { path: { case_id: caseId, finding_id: findingId } },
            body: { revision, finding },
          }),
        ),
  );

export const entryFile = (caseId: number, findingId: number, entryId: number, fileId: number) =>
  `/api/cases/${caseId}/findings/${findingId}/entries/${entryId}/files/${fileId}`;

interface Done {
  findingId: number;
  done: FindingDone;
}

export const useFindingAct = (caseId: number) =>
  useOfFinding(caseId, async ({ findingId, done }: Done) =>
    told(
      await client.POST("/api/cases/{case_id}/findings/{finding_id}/acts", {
        params: { path: { case_id: caseId, finding_id: findingId } },
        body: done,
      }),
    ),
  );

/** Who can be asked to mend what is found, and to whom comments can be addressed. */
export const useCasePeople = (caseId: number) =>
  useQuery({
    queryKey: ["casePeople", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/people", at(caseId))),
  });

interface Read {
  findingId: number;
  entryId: number;
}

export const useReadComment = (caseId: number) =>
  useOfFinding(caseId, async ({ findingId, entryId }: Read) =>
    told(
      await client.PUT("/api/cases/{case_id}/findings/{finding_id}/entries/{entry_id}/read", {
        params: { path: { case_id: caseId, finding_id: findingId, entry_id: entryId } },
      }),
    ),
  );

interface Sent {
  finding: Finding;
  files: readonly File[];
}

/** Sends files, one after the other, with what this person said last of the finding. */
export const useSendFiles = (caseId: number) =>
  useOfFinding(caseId, async ({ finding, files }: Sent) => {
    const address = `/api/cases/${caseId}/findings/${finding.id}/entries/${finding.entries.at(-1)?.id}/files`;
    let now = finding;
    for (const file of files) now = (await sendFile(address, file)) as Finding;
    return now;
  });

interface Wanted {
  finding: Finding;
  version: string;
}

export const useRetest = (caseId: number) =>
  useOfFinding(caseId, async ({ finding, version }: Wanted) =>
    told(
      await client.POST("/api/cases/{case_id}/findings/{finding_id}/retest", {
        params: { path: { case_id: caseId, finding_id: finding.id } },
        body: { revision: finding.revision, version },
      }),
    ),
  );

export const useCancelRetest = (caseId: number) =>
  useOfFinding(caseId, async (finding: Finding) =>
    told(
      await client.DELETE("/api/cases/{case_id}/findings/{finding_id}/retest", {
        params: { path: { case_id: caseId, finding_id: finding.id } },
      }),
    ),
  );
