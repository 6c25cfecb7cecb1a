/** Undo for what is saved at once: remembers what was there before, newest last. */
import { useCallback, useState } from "react";

export function useUndo<T>(save: (value: T) => void) {
  const [past, setPast] = useState<T[]>([]);
  const remember = useCallback((before: T) => setPast((all) => [...all, before]), []);
  const change = useCallback(
    (before: T, after: T) => {
      setPast((all) => [...all, before]);
      save(after);
    },
    [save],
  );
  const undo = () => {
    const last = past.at(-1);
    if (last === undefined) return;
    setPast(past.slice(0, -1));
    save(last);
  };
  return { change, remember, undo, canUndo: past.length > 0 };
}
