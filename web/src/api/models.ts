/** A model's tier, and what its versions differ in. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told } from "./client";

export const useBetween = (key: string, before: number | undefined, after: number | undefined) =>
  useQuery({
    queryKey: ["models", key, "between", before, after],
    enabled: before !== undefined && after !== undefined && before !== after,
    queryFn: async () =>
      told(
        await client.GET("/api/models/{model_key}/changes", {
          params: { path: { model_key: key }, query: { before: before ?? 0, after: after ?? 0 } },
        }),
      ),
  });

export function useSetTier(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: { tier: number; reason: string }) =>
      told(await client.PUT("/api/models/{model_key}/tier", { params: { path: { model_key: key } }, body })),
    onSuccess: () =>
      Promise.all(
        [["models"], ["docket"], ["case"], ["plan"]].map((queryKey) => cache.invalidateQueries({ queryKey })),
      ),
  });
}

export function useSayTeam(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (team: string | null) =>
      told(await client.PUT("/api/models/{model_key}/team", { params: { path: { model_key: key } }, body: { team } })),
    onSuccess: () =>
      Promise.all([["models"], ["case"], ["teams"]].map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}
