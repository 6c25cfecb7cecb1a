/** The margin's text and what is set aside: kept in this browser at each keystroke, and on the server shortly after.
 * Where another window saved in between, nothing is overwritten until both are put together. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef } from "react";
import { Refusal, type Schemas } from "../api/client";
import { setKnown } from "../api/known";
import { fetchMargin, marginKept, useMargin, useSaveMargin } from "../api/queries";
import { together } from "./together";

type MarginView = Schemas["MarginView"];

const PAUSE_MS = 600;

export function useMarginOf(caseId: number) {
  const cache = useQueryClient();
  const margin = useMargin(caseId);
  const save = useSaveMargin(caseId);
  const timer = useRef<number | undefined>(undefined);
  const local = marginKept(caseId);
  const mutate = save.mutate;
  const write = useCallback(
    (next: MarginView) => {
      setKnown(cache, ["margin", caseId], next);
      localStorage.setItem(local, JSON.stringify(next));
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => mutate(), PAUSE_MS);
    },
    [cache, caseId, local, mutate],
  );
  const loaded = margin.data !== undefined;
  useEffect(() => {
    // What the last visit typed and could not save is saved now.
    const unsaved = localStorage.getItem(local);
    if (loaded && unsaved) write({ revision: 0, ...(JSON.parse(unsaved) as Partial<MarginView>) } as MarginView);
  }, [loaded, local, write]);
  const isStale = save.error instanceof Refusal && save.error.problem.status === 409;
  const putTogether = async () => {
    const other = await fetchMargin(caseId);
    const mine = cache.getQueryData<MarginView>(["margin", caseId]);
    if (mine) write(together(mine, other));
  };
  return { margin: margin.data, write, saving: save.isPending, failed: save.error, isStale, putTogether };
}
