/** Questions to the owner of a case, and what is done about each. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";
import { sendFile } from "./sendFile";

export type Asked = Schemas["AskedView"];
export type AskedAct = Asked["may"][number];
export type NewQuestion = Schemas["NewQuestion"];
export type About = NonNullable<NewQuestion["about"]>;

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useAsked = (caseId: number) =>
  useQuery({
    queryKey: ["questions", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/questions", at(caseId))),
  });

function useOfQuestion<In>(caseId: number, act: (input: In) => Promise<Asked>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    // Also after a refusal: what the page shows may be what another has changed since.
    onSettled: () =>
      Promise.all(
        [["questions", caseId], ["case", caseId], ["docket"]].map((queryKey) => cache.invalidateQueries({ queryKey })),
      ),
  });
}

export const useAsk = (caseId: number) =>
  useOfQuestion(caseId, async (body: NewQuestion) =>
    told(await client.POST("/api/cases/{case_id}/questions", { ...at(caseId), body })),
  );

interface Done {
  number: number;
  done: Schemas["QuestionDone"];
}

export const useAskedAct = (caseId: number) =>
  useOfQuestion(caseId, async ({ number, done }: Done) =>
    told(
      await client.POST("/api/cases/{case_id}/questions/{number}/acts", {
        params: { path: { case_id: caseId, number } },
        body: done,
      }),
    ),
  );

export const askedFile = (caseId: number, number: number, entryId: number, fileId: number) =>
  `/api/cases/${caseId}/questions/${number}/entries/${entryId}/files/${fileId}`;

interface Sent {
  question: Asked;
  files: readonly File[];
}

/** Sends files, one after the other, with what this person said last of the question. */
export const useSendAskedFiles = (caseId: number) =>
  useOfQuestion(caseId, async ({ question, files }: Sent) => {
    const address = `/api/cases/${caseId}/questions/${question.number}/entries/${question.entries.at(-1)?.id}/files`;
    let now: unknown;
    for (const file of files) now = await sendFile(address, file);
    return now as Asked;
  });
