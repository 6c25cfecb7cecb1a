/** The files of a draft on their way: what has come of each, and what went wrong. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { sendFile, stampOf, type Draft, type DraftFile } from "../../api/drafts";
import { setKnown } from "../../api/known";

export interface Uploads {
  send: (path: string, file: Blob, stamp?: string) => Promise<boolean>;
  isSending: (path: string) => boolean;
  fault: (path: string) => Error | null;
}

export function useUploads(draftId: number): Uploads {
  const cache = useQueryClient();
  const [under, setUnder] = useState<ReadonlySet<string>>(new Set());
  const [faults, setFaults] = useState<Readonly<Record<string, Error>>>({});
  const send = useCallback(
    async (path: string, file: Blob, stamp = stampOf(file)) => {
      setUnder((all) => new Set(all).add(path));
      setFaults(({ [path]: _, ...others }) => others);
      try {
        await sendFile(draftId, path, file, stamp, (come) =>
          setKnown<Draft>(
            cache,
            ["draft", draftId],
            (draft) => draft && { ...draft, files: withFile(draft.files, come) },
          ),
        );
        return true;
      } catch (problem) {
        setFaults((all) => ({ ...all, [path]: problem instanceof Error ? problem : new Error(String(problem)) }));
        return false;
      } finally {
        setUnder((all) => new Set([...all].filter((one) => one !== path)));
      }
    },
    [cache, draftId],
  );
  return { send, isSending: (path) => under.has(path), fault: (path) => faults[path] ?? null };
}

export function withFile(files: DraftFile[], come: DraftFile): DraftFile[] {
  return files.some((one) => one.path === come.path)
    ? files.map((one) => (one.path === come.path ? come : one))
    : [...files, come];
}
