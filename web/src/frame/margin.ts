/** The margin's text and what is set aside: kept in this browser at each keystroke, and on the server shortly after. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef } from "react";
import type { Schemas } from "../api/client";
import { setKnown } from "../api/known";
import { useMargin, useSaveMargin } from "../api/queries";

const PAUSE_MS = 600;

export function useMarginOf(caseId: number) {
  const cache = useQueryClient();
  const margin = useMargin(caseId);
  const save = useSaveMargin(caseId);
  const timer = useRef<number | undefined>(undefined);
  const local = `brookfall.margin.${caseId}`;
  const mutate = save.mutate;
  const write = useCallback(
    (next: Schemas["MarginView"]) => {
      setKnown(cache, ["margin", caseId], next);
      localStorage.setItem(local, JSON.stringify(next));
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(
        () => mutate(next, { onSuccess: () => localStorage.removeItem(local) }),
        PAUSE_MS,
      );
    },
    [cache, caseId, local, mutate],
  );
  const loaded = margin.data !== undefined;
  useEffect(() => {
    // What the last visit typed and could not save is saved now.
    const unsaved = localStorage.getItem(local);
    if (loaded && unsaved) write(JSON.parse(unsaved) as Schemas["MarginView"]);
  }, [loaded, local, write]);
  return { margin: margin.data, write, saving: save.isPending, failed: save.error };
}
