/** Notes that the validators of a case share. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told } from "./client";
import { setKnown } from "./known";

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useSharedNotes = (caseId: number) =>
  useQuery({
    queryKey: ["sharedNotes", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/shared-notes", at(caseId))),
  });

export function useShareNote(caseId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (text: string) =>
      told(await client.POST("/api/cases/{case_id}/shared-notes", { ...at(caseId), body: { text } })),
    onSuccess: (seen) => setKnown(cache, ["sharedNotes", caseId], seen),
  });
}
