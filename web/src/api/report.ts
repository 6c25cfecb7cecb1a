/** The report of a case: how it stands in the form that is asked for, and where its pages are. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";
import type { operations } from "./schema";

export type ReportView = Schemas["ReportView"];
export type OrderedReport = Schemas["OrderedReport"];
export type Part = Schemas["PartView"]["name"];
/** What is asked for; what is not said is as the house has it. */
export type Order = NonNullable<
  operations["decision_get_report_cases__int_case_id__report_get"]["parameters"]["query"]
>;

const POLL_MS = 700;
const GOING = new Set(["waiting", "leased"]);

const asked = (id: number, order: Order) => ({ params: { path: { case_id: id }, query: order } });

export const useReport = (id: number, order: Order) =>
  useQuery({
    queryKey: ["report", id, order],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/report", asked(id, order))),
    refetchInterval: ({ state }) => (GOING.has(state.data?.current?.state ?? "") ? POLL_MS : false),
  });

export function useAskReport(id: number, order: Order) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async () => told(await client.POST("/api/cases/{case_id}/report", asked(id, order))),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["report", id] }),
  });
}

/** Where the pages of the order are, and what else a report has. */
export const fileOf = (id: number, order: Order, form: "html" | "pdf" | "json" | "statement"): string => {
  const query = new URLSearchParams(order as Record<string, string>).toString();
  return `/api/cases/${id}/report/${form}${query ? `?${query}` : ""}`;
};

/** The order that a page's address asks for. */
export function orderOf(search: URLSearchParams): Order {
  const said = ["length", "language", "paper", "parts"].flatMap((name) => {
    const value = search.get(name);
    return value ? [[name, value] as const] : [];
  });
  return Object.fromEntries(said) as Order; // what is none of the known ones the server refuses, in words
}
