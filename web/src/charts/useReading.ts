/** A figure that is read place by place: by the pointer, and by the arrow keys once it has the focus. */
import { useState, type KeyboardEvent } from "react";
import type { Exhibit } from "../api/client";
import { placesOf, readingsAt, readingWords, type Read, type Reading } from "./readings";

/** Under three places there is nothing to walk through. */
const FEWEST = 3;

export interface Axis {
  label: string;
  categories?: readonly string[] | undefined;
}

export function useReading(reads: readonly Read[], series: Exhibit["series"], axis: Axis) {
  const places = placesOf(reads, series);
  const [at, setAt] = useState<number | null>(null);
  const place = at === null ? undefined : places[Math.min(at, places.length - 1)];
  const readings: Reading[] = place === undefined ? [] : readingsAt(reads, series, place);
  const words = place === undefined ? "" : readingWords(axis, place, readings);
  const press = (event: KeyboardEvent) => {
    const now = at ?? -1;
    const next = { ArrowRight: now + 1, ArrowLeft: now - 1, Home: 0, End: places.length - 1 }[event.key];
    if (next === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    setAt(Math.max(0, Math.min(places.length - 1, next)));
  };
  const canBeRead = places.length >= FEWEST;
  /** What makes an element the handle of the reading. */
  const handle = canBeRead
    ? ({
        role: "slider",
        tabIndex: 0,
        "aria-valuemin": 0,
        "aria-valuemax": places.length - 1,
        "aria-valuenow": at ?? 0,
        "aria-valuetext": words || "arrow keys read the values",
        onKeyDown: press,
      } as const)
    : null;
  return { places, place, readings, words, setAt, handle };
}
