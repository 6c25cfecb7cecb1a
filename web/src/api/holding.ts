/** What each reviewer has in hand, and all of it handed over. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Holds = Schemas["HoldsView"];

export const useHolding = () =>
  useQuery({ queryKey: ["docket", "holding"], queryFn: async () => told(await client.GET("/api/holding")) });

export function useHandOver() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["HandOverBody"]) => told(await client.POST("/api/holding/hand-over", { body })),
    onSuccess: () => Promise.all([["docket"], ["case"]].map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}
