/** Every question the screens ask the server, and how long an answer is good. */
import { useMutation, useQuery, useQueryClient, type UseMutationResult } from "@tanstack/react-query";
import { asProblem, client, csrfToken, Refusal, told, type FindingText, type Plan, type Roles, type Schemas } from "./client";

const POLL_MS = 700;

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useMe = () =>
  useQuery({ queryKey: ["me"], queryFn: async () => told(await client.GET("/api/session")), retry: false, staleTime: Infinity });

export const useDocket = () => useQuery({ queryKey: ["docket"], queryFn: async () => told(await client.GET("/api/cases")) });

export const useCase = (id: number) =>
  useQuery({ queryKey: ["case", id], queryFn: async () => told(await client.GET("/api/cases/{case_id}", at(id))) });

export const useData = (id: number) =>
  useQuery({ queryKey: ["data", id], queryFn: async () => told(await client.GET("/api/cases/{case_id}/data", at(id))) });

export const usePlan = (id: number) =>
  useQuery({ queryKey: ["plan", id], queryFn: async () => told(await client.GET("/api/cases/{case_id}/plan", at(id))) });

export const useRun = (id: number) =>
  useQuery({
    queryKey: ["run", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/run", at(id))),
    refetchInterval: (query) => (query.state.data?.state === "running" ? POLL_MS : false),
  });

export const useExhibit = (id: number, runId: number | null, number: number | null) =>
  useQuery({
    queryKey: ["exhibit", id, runId, number],
    enabled: number !== null && runId !== null,
    staleTime: Infinity,
    queryFn: async () =>
      told(await client.GET("/api/cases/{case_id}/exhibits/{number}", { params: { path: { case_id: id, number: number ?? 0 } } })).exhibit,
  });

export const useFindings = (id: number) =>
  useQuery({ queryKey: ["findings", id], queryFn: async () => told(await client.GET("/api/cases/{case_id}/findings", at(id))) });

export const useDecision = (id: number) =>
  useQuery({ queryKey: ["decision", id], queryFn: async () => told(await client.GET("/api/cases/{case_id}/decision", at(id))) });

export const useMargin = (id: number) =>
  useQuery({
    queryKey: ["margin", id],
    staleTime: Infinity,
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/margin", at(id))),
  });

export const useRecord = (caseId: number | null, page: number) =>
  useQuery({
    queryKey: ["record", caseId, page],
    queryFn: async () => told(await client.GET("/api/record", { params: { query: { case_id: caseId ?? undefined, page } } })),
  });

/** Does something, then forgets whatever it may have changed. */
function useAct<In, Out>(act: (input: In) => Promise<Out>, ...stale: unknown[][]): UseMutationResult<Out, Error, In> {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => Promise.all(stale.map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}

export const useSignIn = () =>
  useAct(async (body: Schemas["Credentials"]) => {
    await fetch("/api/health");
    return told(await client.POST("/api/session", { body }));
  }, ["me"]);

export const useSignOut = () => {
  const cache = useQueryClient();
  return useMutation({ mutationFn: async () => told(await client.DELETE("/api/session")), onSuccess: () => cache.clear() });
};

export const useTake = () =>
  useAct(async (id: number) => told(await client.POST("/api/cases/{case_id}/take", at(id))), ["docket"], ["case"]);

export const useSubmit = () =>
  useAct(async (form: FormData): Promise<Schemas["CaseId"]> => {
    const response = await fetch("/api/cases", { method: "POST", body: form, headers: { "X-CSRF-Token": csrfToken() } });
    const body: unknown = await response.json().catch(() => null);
    if (!response.ok) throw new Refusal(asProblem(body, response.status));
    return body as Schemas["CaseId"];
  }, ["docket"]);

export const useSaveRoles = (id: number) =>
  useAct(
    async (body: { revision: number; roles: Roles }) => told(await client.PUT("/api/cases/{case_id}/roles", { ...at(id), body })),
    ["data", id],
    ["plan", id],
  );

export const useSavePlan = (id: number) =>
  useAct(
    async (body: { revision: number; plan: Plan }) => told(await client.PUT("/api/cases/{case_id}/plan", { ...at(id), body })),
    ["plan", id],
  );

export const useStartRun = (id: number) =>
  useAct(async (_: void) => told(await client.POST("/api/cases/{case_id}/run", at(id))), ["run", id], ["case", id], ["plan", id], ["data", id]);

export const useCancelRun = (id: number) =>
  useAct(async (_: void) => told(await client.DELETE("/api/cases/{case_id}/run", at(id))), ["run", id], ["case", id]);

export const useSaveFinding = (id: number) =>
  useAct(
    async ({ findingId, revision, finding }: { findingId: number | null; revision: number; finding: FindingText }) =>
      findingId === null
        ? told(await client.POST("/api/cases/{case_id}/findings", { ...at(id), body: { revision, finding } }))
        : told(
            await client.PUT("/api/cases/{case_id}/findings/{finding_id}", {
              params: { path: { case_id: id, finding_id: findingId } },
              body: { revision, finding },
            }),
          ),
    ["findings", id],
    ["decision", id],
    ["case", id],
  );

export const usePropose = (id: number) =>
  useAct(
    async (body: Schemas["Proposal"]) => told(await client.POST("/api/cases/{case_id}/decision", { ...at(id), body })),
    ["decision", id],
    ["case", id],
    ["docket"],
  );

export const useCountersign = (id: number) =>
  useAct(
    async (body: Schemas["Answer"]) => told(await client.POST("/api/cases/{case_id}/countersignature", { ...at(id), body })),
    ["decision", id],
    ["case", id],
    ["docket"],
  );

export const useSaveMargin = (id: number) =>
  useMutation({
    mutationFn: async (body: Schemas["MarginBody"]) => told(await client.PUT("/api/cases/{case_id}/margin", { ...at(id), body })),
  });

export const useVerify = () => useMutation({ mutationFn: async () => told(await client.GET("/api/record/verification")) });
