/** The search over all that the person may see. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Found = Schemas["Found"];

export const useSearch = (words: string) =>
  useQuery({
    queryKey: ["search", words],
    queryFn: async () => told(await client.GET("/api/search", { params: { query: { words } } })),
    enabled: words.trim() !== "",
    placeholderData: keepPreviousData,
  });
