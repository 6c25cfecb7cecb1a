/** What is done about the conditions of an approval. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";
import { sendFile } from "./sendFile";

export type Approval = Schemas["ApprovalView"];
export type Condition = Schemas["ConditionView"];
export type ConditionAct = Condition["may"][number];
export type ConditionDone = Schemas["ConditionDone"];

function useOfCondition<In>(caseId: number, act: (input: In) => Promise<Approval>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    // Also after a refusal: what the page shows may be what another has changed since.
    onSettled: () =>
      Promise.all(
        [["decision", caseId], ["docket"], ["models"]].map((queryKey) => cache.invalidateQueries({ queryKey })),
      ),
  });
}

interface Done {
  number: number;
  done: ConditionDone;
}

export const useConditionAct = (caseId: number) =>
  useOfCondition(caseId, async ({ number, done }: Done) =>
    told(
      await client.POST("/api/cases/{case_id}/conditions/{number}/acts", {
        params: { path: { case_id: caseId, number } },
        body: done,
      }),
    ),
  );

export const conditionFile = (caseId: number, number: number, entryId: number, fileId: number) =>
  `/api/cases/${caseId}/conditions/${number}/entries/${entryId}/files/${fileId}`;

interface Sent {
  condition: Condition;
  files: readonly File[];
}

/** Sends files, one after the other, with what this person said last of the condition. */
export const useSendConditionFiles = (caseId: number) =>
  useOfCondition(caseId, async ({ condition, files }: Sent) => {
    const entry = condition.entries.at(-1);
    const address = `/api/cases/${caseId}/conditions/${condition.number}/entries/${entry?.id}/files`;
    let now: unknown;
    for (const file of files) now = await sendFile(address, file);
    return now as Approval;
  });
