/** What is typed into a form and not sent yet: kept in this browser under a name, until it was. */
import { useEffect, useState } from "react";

export function useUnsent<T extends object>(place: string, nothing: T) {
  const [typed, setTyped] = useState<T>(() => {
    const before = localStorage.getItem(place);
    return before ? { ...nothing, ...(JSON.parse(before) as Partial<T>) } : nothing;
  });
  useEffect(() => localStorage.setItem(place, JSON.stringify(typed)), [place, typed]);
  const put = (part: Partial<T>) => setTyped((before) => ({ ...before, ...part }));
  return { typed, put, letGo: () => localStorage.removeItem(place) };
}
