/** The record, narrowed to what one looks for. */
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";
import type { operations } from "./schema";

export type Entry = Schemas["EntryView"];
export type RecordQuery = NonNullable<operations["record_get_record_record_get"]["parameters"]["query"]>;

export const useRecord = (query: RecordQuery) =>
  useQuery({
    queryKey: ["record", query],
    placeholderData: keepPreviousData,
    queryFn: async () => told(await client.GET("/api/record", { params: { query } })),
  });

export const useVerify = () =>
  useMutation({ mutationFn: async () => told(await client.GET("/api/record/verification")) });

/** Where the same entries are had as a file. */
export function fileOf({ page: _page, ...query }: RecordQuery, form: "csv" | "jsonl"): string {
  const given = Object.entries({ ...query, form }).map(([name, value]) => [name, String(value)]);
  return `/api/record/file?${new URLSearchParams(given).toString()}`;
}
