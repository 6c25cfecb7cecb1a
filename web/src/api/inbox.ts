/** What waits for the person who is signed in, and what others did meanwhile. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Inbox = Schemas["InboxView"];
export type InboxItem = Schemas["InboxItem"];

const EVERY_MS = 60_000;

export const useInbox = (page: number) =>
  useQuery({
    queryKey: ["docket", "inbox", page],
    queryFn: async () => told(await client.GET("/api/inbox", { params: { query: { page } } })),
    placeholderData: keepPreviousData,
    refetchInterval: EVERY_MS,
  });

export const useChanges = (page: number) =>
  useQuery({
    queryKey: ["docket", "changes", page],
    queryFn: async () => told(await client.GET("/api/inbox/changes", { params: { query: { page } } })),
    placeholderData: keepPreviousData,
  });

export function useLook() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async () => {
      const { error } = await client.POST("/api/inbox/look");
      if (error) throw new Error("It is not known whether it was kept.");
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ["docket", "changes"] }),
  });
}

/** Where a thing that waits is ended. */
export const placeOf = (item: Pick<InboxItem, "place" | "case_id">): string =>
  item.place.startsWith("/") ? item.place : `/cases/${item.case_id}${item.place && `/${item.place}`}`;
