/** New rows: sent to be scored, what came of them, and the rows window by window. */
import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ROWS_AT_ONCE } from "../parts/scrolling";
import { client, told, type Schemas } from "./client";
import { faultOf, sendFile, stampOf, type Draft } from "./drafts";
import type { operations } from "./schema";

export type Scoring = Schemas["ScoringView"];
export type Only = NonNullable<
  NonNullable<
    operations["new_rows_get_scored_rows_cases__int_case_id__new_rows__int_number__rows_get"]["parameters"]["query"]
  >["only"]
>;

const POLL_MS = 700;

export const isGoing = (one: Scoring) => one.state === "waiting" || one.state === "leased";

/** The files of a case, asked for again and again while one of them is being scored. */
export const useNewRows = (caseId: number) =>
  useQuery({
    queryKey: ["newRows", caseId],
    queryFn: async () =>
      told(await client.GET("/api/cases/{case_id}/new-rows", { params: { path: { case_id: caseId } } })),
    refetchInterval: (query) => (query.state.data?.scorings.some(isGoing) ? POLL_MS : false),
  });

export const useCancelScoring = (caseId: number) => {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (number: number) =>
      told(
        await client.DELETE("/api/cases/{case_id}/new-rows/{number}", {
          params: { path: { case_id: caseId, number } },
        }),
      ),
    onSettled: () => cache.invalidateQueries({ queryKey: ["newRows", caseId] }),
  });
};

export interface RowsAsked {
  only: Only;
  sort: string | null;
  falling: boolean;
}

/** Windows of the scored rows. */
export const useScoredWindows = (caseId: number, number: number, asked: RowsAsked, windows: number[]) =>
  useQueries({
    queries: windows.map((window) => ({
      queryKey: ["scoredRows", caseId, number, asked, window],
      retry: false,
      staleTime: Infinity,
      placeholderData: keepPreviousData<Schemas["ScoredRowsView"]>,
      queryFn: async () =>
        told(
          await client.GET("/api/cases/{case_id}/new-rows/{number}/rows", {
            params: {
              path: { case_id: caseId, number },
              query: {
                only: asked.only,
                offset: window * ROWS_AT_ONCE,
                limit: ROWS_AT_ONCE,
                ...(asked.sort === null ? {} : { sort: asked.sort }),
                order: asked.falling ? "falling" : "rising",
              },
            },
          }),
        ),
    })),
  });

/** A row in full, with its reasons. */
export const useScoredRow = (caseId: number, number: number, row: number) =>
  useQuery({
    queryKey: ["scoredRow", caseId, number, row],
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      told(
        await client.GET("/api/cases/{case_id}/new-rows/{number}/rows/{row}", {
          params: { path: { case_id: caseId, number, row } },
        }),
      ),
  });

interface Sent {
  file: File;
  models: string[];
  coverage: number;
}

/** Sends a file, has it taken in, and gives back when it stands in line; how much has come meanwhile. */
export const useSendRows = (caseId: number) => {
  const cache = useQueryClient();
  const [share, setShare] = useState<number | null>(null);
  const send = useMutation({
    mutationFn: async ({ file, models, coverage }: Sent) => {
      setShare(0);
      const draft = told(
        await client.POST("/api/drafts", {
          body: { brief: { models, coverage }, due: null, added_to: caseId, scored: true },
        }),
      );
      const at = { params: { path: { draft_id: draft.id } } };
      try {
        await sendFile(draft.id, file.name, file, stampOf(file), (come) =>
          setShare(come.size ? come.received / come.size : 1),
        );
        let taken: Draft = told(await client.POST("/api/drafts/{draft_id}/submission", at));
        while (taken.state === "waiting" || taken.state === "leased") {
          await new Promise((resolve) => setTimeout(resolve, POLL_MS));
          taken = told(await client.GET("/api/drafts/{draft_id}", at));
        }
        const fault = faultOf(taken);
        if (fault) throw fault;
      } catch (problem) {
        // What can't be taken in is sent anew; a draft of it would be in the way.
        await client.DELETE("/api/drafts/{draft_id}", at).catch(() => undefined);
        throw problem;
      }
    },
    onSettled: () => {
      setShare(null);
      return cache.invalidateQueries({ queryKey: ["newRows", caseId] });
    },
  });
  return { send, share };
};
