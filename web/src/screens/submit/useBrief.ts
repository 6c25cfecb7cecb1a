/** Keeps a brief on the server as it is typed, one save after the other, so that none overtakes another. */
import { useEffect, useRef, useState } from "react";
import { useSaveBrief, type Draft } from "../../api/drafts";
import type { BriefKept } from "./brief";

const PAUSE_MS = 600;

export function useBriefKeeping(draft: Draft, kept: BriefKept, due: string | null) {
  const save = useSaveBrief(draft.id).mutateAsync;
  const revision = useRef(draft.revision);
  const line = useRef<Promise<void>>(Promise.resolve());
  const wanted = JSON.stringify({ kept, due });
  const last = useRef(wanted);
  const [state, setState] = useState<"kept" | "typing">("kept");
  const [error, setError] = useState<Error | null>(null);

  const keep = useRef<() => Promise<void>>(() => Promise.resolve());
  keep.current = () => {
    if (last.current === wanted) return line.current;
    last.current = wanted;
    line.current = line.current
      .then(async () => {
        const { revision: now } = await save({ brief: { ...kept }, due, revision: revision.current });
        revision.current = now;
        setError(null);
        if (last.current === wanted) setState("kept");
      })
      .catch((problem: unknown) => {
        last.current = "";
        setError(problem instanceof Error ? problem : new Error(String(problem)));
      });
    return line.current;
  };

  useEffect(() => {
    if (last.current === wanted) return undefined;
    setState("typing");
    const timer = setTimeout(() => void keep.current(), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [wanted]);
  // Leaving the page within the pause keeps what was typed last.
  useEffect(() => () => void keep.current(), []);

  return { state, error, keepNow: () => keep.current() };
}
