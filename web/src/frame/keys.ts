/** Single keys, which act only where they make sense and never while somebody types. They can be switched off (WCAG 2.1.4). */
import { useLayoutEffect, useRef, useSyncExternalStore } from "react";

export interface KeyAct {
  keys: string;
  does: string;
  act: (event: KeyboardEvent) => void;
}

const OFF = "brookfall.keys.off";
const bound = new Map<symbol, KeyAct[]>();
const listeners = new Set<() => void>();
let shown: KeyAct[] = [];

function changed() {
  shown = [...bound.values()].flat();
  for (const listener of listeners) listener();
}

export function keysAreOff(): boolean {
  return localStorage.getItem(OFF) === "yes";
}

export function switchKeys(off: boolean) {
  localStorage.setItem(OFF, off ? "yes" : "no");
  changed();
}

export function useBoundKeys(): readonly KeyAct[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => shown,
  );
}

/** Binds keys while the component is shown, from the moment that it can be seen. */
export function useKeys(acts: KeyAct[]) {
  const latest = useRef(acts);
  latest.current = acts;
  const names = acts.map((a) => a.keys).join();
  useLayoutEffect(() => {
    const mark = Symbol("keys");
    bound.set(mark, latest.current);
    changed();
    const listen = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      if (keysAreOff() && event.key !== "Escape") return;
      const found = latest.current.find((a) => a.keys === event.key);
      if (!found || event.defaultPrevented) return;
      event.preventDefault();
      found.act(event);
    };
    window.addEventListener("keydown", listen);
    return () => {
      window.removeEventListener("keydown", listen);
      bound.delete(mark);
      changed();
    };
  }, [names]);
}

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  return (
    target.isContentEditable ||
    ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName) ||
    target.closest("[role=dialog],[role=menu],[role=listbox]") !== null
  );
}
