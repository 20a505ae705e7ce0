// What was typed into a panel that was left before it was given: it is kept for the
// person in this window until it is given or taken out, so that Escape loses nothing.
// It never leaves the memory of the window.
import { useState, useSyncExternalStore } from "react";
import { useMe } from "../session/me";

const left = new Map<string, unknown>();
const listeners = new Set<() => void>();

/** useLeft is a state that outlives its panel. `about` says opaquely where it belongs, as in
 * "line <note> review"; `empty` tells what is not worth keeping. */
export function useLeft<T>(about: string, initial: () => T, empty: (v: T) => boolean) {
  const slot = `${useMe().id} ${about}`;
  const [was] = useState(() => left.has(slot)); // something was found, left before
  const [value, setValue] = useState<T>(() => (left.has(slot) ? (left.get(slot) as T) : initial()));
  // An answer that comes after the panel was left still counts, so the map decides.
  const set = (next: T | ((now: T) => T)) => {
    const now = left.has(slot) ? (left.get(slot) as T) : initial();
    const v = next instanceof Function ? next(now) : next;
    if (empty(v)) left.delete(slot);
    else left.set(slot, v);
    setValue(v);
    for (const l of listeners) l();
  };
  /** given forgets what was kept, once the server has it. */
  const given = () => {
    left.delete(slot);
    for (const l of listeners) l();
  };
  return [value, set, given, was] as const;
}

/** useDraft is something to be given that outlives its panel, with one identifier for each way it reads: sent twice, or
 * once more after its answer was lost, it counts once. */
export function useDraft<T extends object>(about: string, initial: () => T, empty: (v: T) => boolean) {
  const [d, set, kept] = useLeft<T>(about, initial, empty);
  const [request, setRequest, sent] = useLeft(
    `request ${about}`,
    () => crypto.randomUUID() as string,
    () => false,
  );
  const change = (x: Partial<T>) => {
    set((was) => ({ ...was, ...x }));
    setRequest(crypto.randomUUID());
  };
  const given = () => {
    kept();
    sent();
  };
  return { d, request, change, given };
}

/** useKeep puts something where a panel that is opened later finds it, as if it had been left there. */
export function useKeep() {
  const me = useMe().id;
  return (about: string, value: unknown) => {
    left.set(`${me} ${about}`, value);
    for (const l of listeners) l();
  };
}

/** useLeftWords returns the words left in panels whose `about` begins so, or "". `words` says
 * what was left, where it is more than a text. */
export function useLeftWords<T = string>(about: string, words: (v: T) => string = String) {
  const begins = `${useMe().id} ${about}`;
  return useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () =>
      [...left]
        .filter(([slot]) => slot.startsWith(begins))
        .map(([, v]) => words(v as T).trim())
        .filter((w) => w !== "")
        .join("; "),
  );
}
