/** Every question the screens ask the server, and how long an answer is good. */
import { learn } from "../wording";
import {
  keepPreviousData,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
  type UseMutationResult,
} from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { ROWS_AT_ONCE } from "../parts/scrolling";
import { lastLook, setKnown } from "./known";
import { markedWith } from "./marks";
import { client, told, type Change, type Plan, type Roles, type Schemas } from "./client";
import type { operations } from "./schema";

const POLL_MS = 700;
/** States of what a worker was asked for and has not finished. */
const GOING = new Set(["waiting", "leased"]);

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useMe = () =>
  useQuery({
    queryKey: ["me"],
    queryFn: async () => told(await client.GET("/api/session")),
    retry: false,
    staleTime: Infinity,
  });

export const useTokens = () =>
  useQuery({ queryKey: ["tokens"], queryFn: async () => told(await client.GET("/api/tokens")) });

export interface ModelsQuery {
  page?: number;
  words?: string;
  mine?: boolean;
}

/** The models that were asked for; those seen last stay while others are on their way. */
export const useModels = (query: ModelsQuery) =>
  useQuery({
    queryKey: ["models", query],
    queryFn: async () => told(await client.GET("/api/models", { params: { query } })),
    placeholderData: keepPreviousData,
  });

const ofModel = (key: string) => ({ params: { path: { model_key: key } } });

export const useModel = (key: string) =>
  useQuery({
    queryKey: ["models", key],
    queryFn: async () => told(await client.GET("/api/models/{model_key}", ofModel(key))),
  });

export const useAddMember = (key: string) =>
  useAct(
    async (login: string) =>
      told(await client.POST("/api/models/{model_key}/members", { ...ofModel(key), body: { login } })),
    ["models"],
  );

export const useRemoveMember = (key: string) =>
  useAct(
    async (person_id: number) =>
      told(
        await client.DELETE("/api/models/{model_key}/members/{person_id}", {
          params: { path: { model_key: key, person_id } },
        }),
      ),
    ["models"],
  );

export const useSayInUse = (key: string) =>
  useAct(
    async (version: string | null) =>
      told(await client.PUT("/api/models/{model_key}/in-use", { ...ofModel(key), body: { version } })),
    ["models"],
  );

export const useWithdraw = (key: string) =>
  useAct(
    async (reason: string | null) =>
      told(await client.PUT("/api/models/{model_key}/withdrawal", { ...ofModel(key), body: { reason } })),
    ["models"],
    ["docket"],
  );

export const useReReview = () =>
  useAct(
    async ({ caseId, reason }: { caseId: number; reason: string }) =>
      told(await client.POST("/api/cases/{case_id}/re-review", { ...at(caseId), body: { reason } })),
    ["models"],
    ["docket"],
  );

/** Which decided cases keep their rows until when; followed while some are taken away. */
export const useRetention = () =>
  useQuery({
    queryKey: ["retention"],
    queryFn: async () => told(await client.GET("/api/retention")),
    refetchInterval: (query) =>
      query.state.data?.lines.some((line) => line.erasure?.state === "agreed") ? POLL_MS : false,
  });

export const useProposeErasure = (case_id: number) =>
  useAct(
    async (body: Schemas["ErasureProposal"]) =>
      told(await client.POST("/api/retention/{case_id}/proposal", { ...at(case_id), body })),
    ["retention"],
  );

export const useAnswerErasure = (case_id: number) =>
  useAct(
    async (body: Schemas["ErasureAnswer"]) =>
      told(await client.POST("/api/retention/{case_id}/answer", { ...at(case_id), body })),
    ["retention"],
    ["docket"],
    ["case", case_id],
  );

export type DocketQuery = NonNullable<operations["api_get_docket_cases_get"]["parameters"]["query"]>;

/** A page of the docket; while the next is fetched, the one before stays. */
export const useDocket = (query: DocketQuery) =>
  useQuery({
    queryKey: ["docket", query],
    queryFn: async () => told(await client.GET("/api/cases", { params: { query } })),
    placeholderData: keepPreviousData,
  });

/** The case; followed while it runs, so that no page of it takes a run for going on that has ended. */
export const useCase = (id: number) =>
  useQuery({
    queryKey: ["case", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}", at(id))),
    refetchInterval: (query) => (query.state.data?.run_state === "running" ? POLL_MS : false),
  });

/** Once a run has ended, what hangs on it is asked for anew. */
export function useEndOfRun(id: number, state: string | null | undefined) {
  const cache = useQueryClient();
  const before = useRef(state);
  useEffect(() => {
    const ended = before.current === "running" && state !== "running";
    before.current = state;
    if (ended)
      for (const key of ["plan", "decision", "overrulings"]) void cache.invalidateQueries({ queryKey: [key, id] });
  }, [cache, id, state]);
}

export const useData = (id: number) =>
  useQuery({
    queryKey: ["data", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/data", at(id))),
  });

/** What was seen in the data; asked again while a worker still looks. */
/** What was seen in the data. While a worker looks again, what was seen last stays, so that no line jumps away. */
export const useLook = (id: number, revision: number | undefined) =>
  useQuery({
    queryKey: ["look", id, revision],
    enabled: revision !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async ({ client: cache }) => {
      const answer = told(await client.GET("/api/cases/{case_id}/look", at(id)));
      return answer.ready ? answer : { ...answer, look: lastLook(cache, id) };
    },
    refetchInterval: (query) => (query.state.data?.ready === false ? POLL_MS : false),
  });

export type RowsAsked = Omit<Schemas["RowsBody"], "offset" | "limit">;

/** Windows of rows by their number, each fetched once. */
export const useRowWindows = (id: number, revision: number | undefined, asked: RowsAsked, windows: number[]) =>
  useQueries({
    queries: windows.map((window) => ({
      queryKey: ["rows", id, revision, asked, window],
      enabled: revision !== undefined,
      staleTime: Infinity,
      queryFn: async () =>
        told(
          await client.POST("/api/cases/{case_id}/rows", {
            ...at(id),
            body: { ...asked, offset: window * ROWS_AT_ONCE, limit: ROWS_AT_ONCE },
          }),
        ),
    })),
  });

export type BehindAsked = Omit<Schemas["BehindBody"], "offset" | "limit">;

/** Windows of the rows behind a cell or a bin. */
export const useBehindWindows = (id: number, asked: BehindAsked, windows: number[]) =>
  useQueries({
    queries: windows.map((window) => ({
      queryKey: ["behind", id, asked, window],
      retry: false,
      queryFn: async () =>
        told(
          await client.POST("/api/cases/{case_id}/behind", {
            ...at(id),
            body: { ...asked, offset: window * ROWS_AT_ONCE, limit: ROWS_AT_ONCE },
          }),
        ),
    })),
  });

export const useColumn = (id: number, revision: number | undefined, name: string, by: string | null) =>
  useQuery({
    queryKey: ["column", id, revision, name, by],
    enabled: revision !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      told(
        await client.GET("/api/cases/{case_id}/column", {
          params: { path: { case_id: id }, query: { name, by: by ?? undefined } },
        }),
      ),
  });

export const useMatrix = (id: number, revision: number | undefined) =>
  useQuery({
    queryKey: ["matrix", id, revision],
    enabled: revision !== undefined,
    staleTime: Infinity,
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/matrix", at(id))),
  });

export const useEffectOf = (id: number, changes: Change[] | null) =>
  useQuery({
    queryKey: ["effect", id, changes],
    enabled: changes !== null,
    retry: false,
    queryFn: async () =>
      told(await client.POST("/api/cases/{case_id}/changes/effect", { ...at(id), body: { changes: changes ?? [] } })),
  });

/** The plan; asked again while a worker counts what it comes to. */
export const usePlan = (id: number) =>
  useQuery({
    queryKey: ["plan", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/plan", at(id))),
    refetchInterval: (query) => (query.state.data?.counted === false ? POLL_MS : false),
  });

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
      (
        told(
          await client.GET("/api/cases/{case_id}/exhibits/{number}", {
            params: { path: { case_id: id, number: number ?? 0 } },
          }),
        ) as Schemas["ExhibitView"]
      ).exhibit,
  });

/** An exhibit as it would be with other groups; asked only where they are made otherwise. */
export const useRegrouped = (
  id: number,
  runId: number | null,
  number: number | null,
  groups: Schemas["Regrouping"] | null,
) =>
  useQuery({
    queryKey: ["regrouped", id, runId, number, groups],
    enabled: number !== null && runId !== null && groups !== null,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      (
        told(
          await client.POST("/api/cases/{case_id}/exhibits/{number}/regrouped", {
            params: { path: { case_id: id, number: number ?? 0 } },
            body: groups ?? {},
          }),
        ) as Schemas["ExhibitView"]
      ).exhibit,
  });

/** Pairs of features that together go with a protected attribute. */
export const useProxyPairs = (id: number) =>
  useQuery({
    queryKey: ["proxy pairs", id],
    staleTime: Infinity,
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/proxies/pairs", at(id))),
  });

/** Findings drafted from what is outside or near its limit. */
export const useDrafted = (id: number) =>
  useQuery({
    queryKey: ["drafted", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/findings/drafted", at(id))),
  });

export interface ComparisonAsked {
  models: string;
  part?: string | undefined;
  measure?: string | undefined;
}

export const useComparison = (id: number, asked: ComparisonAsked) =>
  useQuery({
    queryKey: ["comparison", id, asked],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      told(
        await client.GET("/api/cases/{case_id}/comparison", { params: { path: { case_id: id }, query: asked } }),
      ) as Schemas["ComparisonView"],
  });

const ofExhibit = (id: number, number: number) => ({ params: { path: { case_id: id, number } } });

/** The newest replay of an exhibit; asked again while it goes on. */
export const useReplay = (id: number, runId: number, number: number) =>
  useQuery({
    queryKey: ["replay", id, runId, number],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/exhibits/{number}/replay", ofExhibit(id, number))),
    refetchInterval: ({ state }) => (GOING.has(state.data?.state ?? "") ? POLL_MS : false),
  });

/** The nodes that a row passes in a tree; asked only while a row is followed. */
export const useTreePath = (id: number, number: number, tree: number, row: number | null) =>
  useQuery({
    queryKey: ["treePath", id, number, tree, row],
    enabled: row !== null,
    retry: false,
    queryFn: async () =>
      told(
        await client.GET("/api/cases/{case_id}/exhibits/{number}/trees/{tree}/path/{row}", {
          params: { path: { case_id: id, number, tree, row: row ?? 0 } },
        }),
      ),
  });

export const useSuspects = (id: number) =>
  useQuery({
    queryKey: ["suspects", id],
    retry: false,
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/suspects", at(id))),
  });

/** Marks are seen at once and sent one after the other, so that fast keys arrive in their order. */
export const useMarkLabels = (id: number) => {
  const cache = useQueryClient();
  return useMutation({
    scope: { id: `marks ${id}` },
    mutationFn: async (body: Schemas["MarksBody"]) =>
      told(await client.POST("/api/cases/{case_id}/marks", { ...at(id), body })),
    onMutate: (body) => {
      setKnown<Schemas["SuspectsView"]>(
        cache,
        ["suspects", id],
        (known) => known && { ...known, marks: markedWith(known.marks, body) },
      );
    },
    onSuccess: () => cache.invalidateQueries({ queryKey: ["run", id] }),
    onError: () => cache.invalidateQueries({ queryKey: ["suspects", id] }),
  });
};

export const useAskReplay = (id: number, runId: number, number: number) =>
  useAct(
    async (_: void) => told(await client.POST("/api/cases/{case_id}/exhibits/{number}/replay", ofExhibit(id, number))),
    ["replay", id, runId, number],
  );

export const useCancelReplay = (id: number, runId: number, number: number) =>
  useAct(
    async (_: void) =>
      told(await client.DELETE("/api/cases/{case_id}/exhibits/{number}/replay", ofExhibit(id, number))),
    ["replay", id, runId, number],
  );

export const useDecision = (id: number) =>
  useQuery({
    queryKey: ["decision", id],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/decision", at(id))),
  });

/** How the report stands, asked again while a worker is at it. */
export const fetchMargin = async (id: number) => told(await client.GET("/api/cases/{case_id}/margin", at(id)));

export const useMargin = (id: number) =>
  useQuery({ queryKey: ["margin", id], staleTime: Infinity, queryFn: () => fetchMargin(id) });

/** Does something, then forgets whatever it may have changed. */
function useAct<In, Out>(act: (input: In) => Promise<Out>, ...stale: unknown[][]): UseMutationResult<Out, Error, In> {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => Promise.all(stale.map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}

export const useSignIn = () =>
  useAct(
    async (body: Schemas["Credentials"]) => {
      await fetch("/api/health");
      return told(await client.POST("/api/session", { body }));
    },
    ["me"],
  );

export const useSignOut = () => {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async () => told(await client.DELETE("/api/session")),
    onSuccess: () => cache.clear(),
  });
};

export const useMakeToken = () =>
  useAct(async (body: Schemas["TokenBody"]) => told(await client.POST("/api/tokens", { body })), ["tokens"]);

export const useChangePassword = () =>
  useAct(async (body: Schemas["PasswordBody"]) => told(await client.PUT("/api/password", { body })));

export const useSecurityLog = (page: number) =>
  useQuery({
    queryKey: ["security", page],
    queryFn: async () => told(await client.GET("/api/security-log", { params: { query: { page } } })),
  });

export const useRevokeToken = () =>
  useAct(
    async (id: number) => told(await client.DELETE("/api/tokens/{token_id}", { params: { path: { token_id: id } } })),
    ["tokens"],
  );

/** What whoever takes it may do is on every page of the case, and it may begin from roles and plan of an earlier review. */
export function useTake() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (id: number) =>
      told(
        await client.POST("/api/cases/{case_id}/take", {
          params: { path: { case_id: id }, query: { begin: "last" } },
        }),
      ),
    // Also after a refusal: another may have taken it.
    onSettled: () => cache.invalidateQueries(),
  });
}

export const useVocabulary = () =>
  useQuery({
    queryKey: ["vocabulary"],
    staleTime: Infinity,
    queryFn: async () => {
      const vocabulary = told(await client.GET("/api/vocabulary"));
      learn(vocabulary);
      return vocabulary;
    },
  });

export const useSaveRoles = (id: number) =>
  useAct(
    async (body: { revision: number; roles: Roles }) =>
      told(await client.PUT("/api/cases/{case_id}/roles", { ...at(id), body })),
    ["data", id],
    ["plan", id],
    ["run", id],
  );

export const useSaveChanges = (id: number) =>
  useAct(
    async (body: { revision: number; changes: Change[] }) =>
      told(await client.PUT("/api/cases/{case_id}/changes", { ...at(id), body })),
    ["data", id],
    ["plan", id],
    ["run", id],
    ["case", id],
  );

export const useTakeTableAway = (id: number) =>
  useAct(
    async (name: string) =>
      told(await client.DELETE("/api/cases/{case_id}/tables", { params: { path: { case_id: id }, query: { name } } })),
    ["data", id],
    ["look", id],
    ["plan", id],
  );

/** How the target came to be observed, kept in the plan: read afresh, so that nothing else in it is put back. */
export const useSaveObserved = (id: number) =>
  useAct(
    async (text: string) => {
      const { revision, plan } = told(await client.GET("/api/cases/{case_id}/plan", at(id)));
      return told(
        await client.PUT("/api/cases/{case_id}/plan", {
          ...at(id),
          body: { revision, plan: { ...plan, target_observed: text } },
        }),
      );
    },
    ["plan", id],
    ["data", id],
  );

export const useSavePlan = (id: number) =>
  useAct(
    async (body: { revision: number; plan: Plan }) =>
      told(await client.PUT("/api/cases/{case_id}/plan", { ...at(id), body })),
    ["plan", id],
    ["data", id],
    ["run", id],
  );

export const useNamePlan = (id: number) =>
  useAct(
    async (body: Schemas["PlanNameBody"]) =>
      told(await client.PUT("/api/cases/{case_id}/plan/name", { ...at(id), body })),
    ["plan", id],
    ["run", id],
  );

/** Whatever a deviation opens or locks: plan, roles, data, and what is stale. */
const OPENED = (id: number) => [
  ["plan", id],
  ["data", id],
  ["run", id],
  ["case", id],
  ["decision", id],
];

export const useOpenDeviation = (id: number) =>
  useAct(
    async (reason: string) =>
      told(await client.POST("/api/cases/{case_id}/deviation", { ...at(id), body: { reason } })),
    ...OPENED(id),
  );

export const useTakeDeviationBack = (id: number) =>
  useAct(async (_: void) => told(await client.DELETE("/api/cases/{case_id}/deviation", at(id))), ...OPENED(id));

/** About how long a plan takes; asked again while trial fits are made. */
export const useEstimate = (id: number, revision: number, wanted: boolean) =>
  useQuery({
    queryKey: ["plan", id, "estimate", revision],
    enabled: wanted,
    retry: false,
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/plan/estimate", at(id))),
    refetchInterval: (query) => (query.state.data?.ready === false ? 3 * POLL_MS : false),
  });

export const useOtherPlans = (id: number) =>
  useQuery({
    queryKey: ["plan", id, "others"],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/plan/others", at(id))),
  });

/** Another case's plan, and what taking it over would change. */
export const useComparePlan = (id: number) =>
  useMutation({
    mutationFn: async (otherId: number) =>
      told(
        await client.GET("/api/cases/{case_id}/plan/others/{other_id}", {
          params: { path: { case_id: id, other_id: otherId } },
        }),
      ),
  });

/** Reads a plan's file; nothing is saved. */
export const useReadPlan = (id: number) =>
  useMutation({
    mutationFn: async (file: File) =>
      told(
        await client.POST("/api/cases/{case_id}/plan/file", {
          ...at(id),
          body: { name: file.name, text: await file.text() },
        }),
      ),
  });

export const useStartRun = (id: number) =>
  useAct(
    async (_: void) => told(await client.POST("/api/cases/{case_id}/run", at(id))),
    ["run", id],
    ["case", id],
    ["plan", id],
    ["data", id],
    ["decision", id],
  );

export const useCancelRun = (id: number) =>
  useAct(async (_: void) => told(await client.DELETE("/api/cases/{case_id}/run", at(id))), ["run", id], ["case", id]);

export const usePropose = (id: number) =>
  useAct(
    async (body: Schemas["Proposal"]) => told(await client.POST("/api/cases/{case_id}/decision", { ...at(id), body })),
    ["decision", id],
    ["case", id],
    ["docket"],
  );

export const useCountersign = (id: number) =>
  useAct(
    async (body: Schemas["Answer"]) =>
      told(await client.POST("/api/cases/{case_id}/countersignature", { ...at(id), body })),
    ["decision", id],
    ["case", id],
    ["docket"],
  );

/** Saves the margin as it is by then, one save after the other; each says which it is newer than. */
export const useSaveMargin = (id: number) => {
  const cache = useQueryClient();
  const key = ["margin", id];
  return useMutation({
    scope: { id: `margin ${id}` },
    mutationFn: async (_: void) => {
      const body = cache.getQueryData<Schemas["MarginView"]>(key);
      if (!body) return;
      const saved = told(await client.PUT("/api/cases/{case_id}/margin", { ...at(id), body }));
      const now = cache.getQueryData<Schemas["MarginView"]>(key);
      cache.setQueryData(key, { ...(now ?? saved), revision: saved.revision });
      if (now?.text === body.text && now.set_aside === body.set_aside) localStorage.removeItem(marginKept(id));
    },
  });
};

/** Where this browser keeps a margin that the server has not taken yet. */
export const marginKept = (id: number) => `brookfall.margin.${id}`;
