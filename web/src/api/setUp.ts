/** What a case began from: the roles and the plan of the last review of its model, or the standard ones. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told } from "./client";

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

/** ``seen`` are the revisions that the page shows: what differs is asked anew when they change. */
export const useSetUp = (caseId: number, ...seen: readonly (number | undefined)[]) =>
  useQuery({
    queryKey: ["setUp", caseId, ...seen],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/set-up", at(caseId))),
  });

export function useBeginFrom(caseId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (from: number | null) =>
      told(await client.POST("/api/cases/{case_id}/set-up", { ...at(caseId), body: { case_id: from } })),
    onSuccess: () =>
      Promise.all(
        ["setUp", "plan", "data", "look", "case", "suspects"].map((name) =>
          cache.invalidateQueries({ queryKey: [name, caseId] }),
        ),
      ),
  });
}
