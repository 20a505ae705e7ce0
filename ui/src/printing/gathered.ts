// What is gathered to go on paper together: in this window, in memory only.
import { useSyncExternalStore } from "react";

export type Gathered = { id: string; title: string; at: string; of: string; patient: string };
let all: Gathered[] = [];
const listeners = new Set<() => void>();
function set(next: Gathered[]) {
  all = next;
  for (const l of listeners) l();
}

export const gathered = {
  /** add puts reports in, each once; where all are there already they are taken out again. It says what it did. */
  toggle(reports: Gathered[]): string {
    const fresh = reports.filter((r) => !all.some((x) => x.id === r.id));
    if (fresh.length > 0) set([...all, ...fresh]);
    else set(all.filter((x) => !reports.some((r) => r.id === x.id)));
    return fresh.length > 0 ? `${all.length} to print` : "Taken out of what is to be printed";
  },
  drop: (id: string) => set(all.filter((x) => x.id !== id)),
  clear: () => set([]),
};

export function useGathered() {
  return useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => all,
  );
}
