/** Overrides: standings that a reviewer overrules, and the list of them with departures from limits. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Overrulings = Schemas["OverrulingsView"];

const keyOf = (caseId: number) => ["overrulings", caseId];
const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useOverrides = () =>
  useQuery({ queryKey: ["overrides"], queryFn: async () => told(await client.GET("/api/overrides")) });

export const useOverrulings = (caseId: number) =>
  useQuery({
    queryKey: keyOf(caseId),
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/overrulings", at(caseId))),
  });

function useOf<Body>(caseId: number, act: (body: Body) => Promise<Overrulings>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (view) => {
      cache.setQueryData(keyOf(caseId), view);
      return cache.invalidateQueries({ queryKey: ["decision", caseId] });
    },
  });
}

export const useOverrule = (caseId: number) =>
  useOf(caseId, async (body: Schemas["NewOverruling"]) =>
    told(await client.POST("/api/cases/{case_id}/overrulings", { ...at(caseId), body })),
  );

export const useTakeBack = (caseId: number) =>
  useOf(caseId, async (overrulingId: number) =>
    told(
      await client.DELETE("/api/cases/{case_id}/overrulings/{overruling_id}", {
        params: { path: { case_id: caseId, overruling_id: overrulingId } },
      }),
    ),
  );
