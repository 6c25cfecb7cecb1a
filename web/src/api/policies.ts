/** Policies of the house: what is in force, the draft, what it would have changed, and who signs. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type PolicyPage = Schemas["PolicyPage"];
export type PolicyHead = Schemas["PolicyHead"];
export type HousePolicy = Schemas["HousePolicyView"];
export type Limit = Schemas["Limit"];
export type PolicyEffect = Schemas["PolicyEffect"];

const POLICIES = ["policies"];
const at = (policyId: number) => ({ params: { path: { policy_id: policyId } } });

export const usePolicies = () =>
  useQuery({ queryKey: POLICIES, queryFn: async () => told(await client.GET("/api/policies")) });

export const usePolicy = (policyId: number) =>
  useQuery({
    queryKey: [...POLICIES, policyId],
    queryFn: async () => told(await client.GET("/api/policies/{policy_id}", at(policyId))),
  });

/** What it would have changed; asked for anew with each revision of a draft. */
export const usePolicyEffect = (head: PolicyHead) =>
  useQuery({
    queryKey: [...POLICIES, head.id, "effect", head.revision],
    queryFn: async () => told(await client.GET("/api/policies/{policy_id}/effect", at(head.id))),
  });

export const textOf = (policyId: number) => `/api/policies/${policyId}/file`;

export const usePolicyText = (policyId: number, revision: number, wanted: boolean) =>
  useQuery({
    queryKey: [...POLICIES, policyId, "text", revision],
    queryFn: async () => (await fetch(textOf(policyId))).text(),
    enabled: wanted,
  });

/** What is done to a policy; its page is what the server answers, and the list is asked for anew. */
function useOfPolicy<Body>(act: (body: Body) => Promise<PolicyPage>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (page) => {
      cache.setQueryData([...POLICIES, page.head?.id], page);
      void cache.invalidateQueries({ queryKey: ["inbox"] });
      return cache.invalidateQueries({ queryKey: POLICIES, exact: true });
    },
  });
}

export const useDraftPolicy = () =>
  useOfPolicy(async (fromId: number) => told(await client.POST("/api/policies", { body: { from_id: fromId } })));

export const useChangePolicy = (policyId: number) =>
  useOfPolicy(async (body: Schemas["DraftBody"]) =>
    told(await client.PUT("/api/policies/{policy_id}", { ...at(policyId), body })),
  );

export const useChangePolicyByFile = (policyId: number) =>
  useOfPolicy(async (body: Schemas["DraftFileBody"]) =>
    told(await client.PUT("/api/policies/{policy_id}/file", { ...at(policyId), body })),
  );

export const useTakeRequirements = (policyId: number) =>
  useOfPolicy(async (body: Schemas["DraftFileBody"]) =>
    told(await client.PUT("/api/policies/{policy_id}/requirements", { ...at(policyId), body })),
  );

/** What is asked of a case from outside, and what answers it. */
export const useRequirements = (caseId: number) =>
  useQuery({
    queryKey: ["requirements", caseId],
    queryFn: async () =>
      told(await client.GET("/api/cases/{case_id}/requirements", { params: { path: { case_id: caseId } } })),
  });

export const useProposePolicy = (policyId: number) =>
  useOfPolicy(async (body: Schemas["PolicyProposal"]) =>
    told(await client.POST("/api/policies/{policy_id}/propose", { ...at(policyId), body })),
  );

export const useAnswerPolicy = (policyId: number) =>
  useOfPolicy(async (body: Schemas["PolicyAnswer"]) =>
    told(await client.POST("/api/policies/{policy_id}/answer", { ...at(policyId), body })),
  );

export function useDiscardPolicy(policyId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (revision: number) =>
      told(
        await client.DELETE("/api/policies/{policy_id}", {
          params: { path: { policy_id: policyId }, query: { revision } },
        }),
      ),
    onSuccess: (page) => cache.setQueryData(POLICIES, page),
  });
}
