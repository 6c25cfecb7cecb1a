/** What is done about a case beside its review: released, handed over, put off, taken back, withdrawn. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Case, type Schemas } from "./client";

export type CaseDone = Schemas["CaseDone"];
export type CaseAct = CaseDone["act"];

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useHandling = (caseId: number) =>
  useQuery({
    queryKey: ["case", caseId, "handling"],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/handling", at(caseId))),
  });

export function useHandle(caseId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: CaseDone): Promise<Case> =>
      told(await client.POST("/api/cases/{case_id}/handling", { ...at(caseId), body })),
    // Also after a refusal: what the page shows may be what another has changed since.
    onSettled: () => cache.invalidateQueries(),
  });
}
