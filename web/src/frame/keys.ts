/** Single keys, which act only where they make sense and never while somebody types. They can be switched off (WCAG 2.1.4). */
import { useLayoutEffect, useRef, useSyncExternalStore } from "react";
import { useHotkeys } from "react-hotkeys-hook";

export interface KeyAct {
  /** As the keyboard names what it produces: "u", "?", "ArrowDown". */
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

/** Binds keys while the component is shown, and lists them in the help. */
export function useKeys(acts: KeyAct[]) {
  const names = acts.map((one) => one.keys);
  useHotkeys(
    names,
    (event) => acts.find((one) => one.keys.toLowerCase() === event.key.toLowerCase())?.act(event),
    // "?" and the brackets are typed with Shift on some keyboards and without on others: the library's own match of
    // modifiers is off, and Ctrl, Meta and Alt are ruled out below.
    { useKey: true, ignoreModifiers: true, preventDefault: true, ignoreEventWhen: isNotForUs, delimiter: " " },
  );
  const latest = useRef(acts);
  useLayoutEffect(() => {
    latest.current = acts;
  });
  const joined = names.join(" ");
  useLayoutEffect(() => {
    const mark = Symbol("keys");
    bound.set(mark, latest.current);
    changed();
    return () => {
      bound.delete(mark);
      changed();
    };
  }, [joined]);
}

function isNotForUs(event: KeyboardEvent): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return true;
  if (keysAreOff()) return true;
  return (
    event.target instanceof HTMLElement && event.target.closest("[role=dialog],[role=menu],[role=listbox]") !== null
  );
}
