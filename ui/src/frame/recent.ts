// The charts open in the bar: the last three of this window, in memory only.
import { useSyncExternalStore } from "react";

type Open = { id: string; name: string; to: string };
let open: Open[] = [];
const listeners = new Set<() => void>();
function set(next: Open[]) {
  open = next;
  for (const l of listeners) l();
}

export const recentCharts = {
  /** show puts a chart in the bar, or moves its tab to where the person is in it. */
  show(o: Open) {
    const had = open.find((x) => x.id === o.id);
    if (had?.to === o.to && had.name === o.name) return;
    set(had ? open.map((x) => (x.id === o.id ? o : x)) : [o, ...open].slice(0, 3));
  },
  clear: () => set([]),
};

export function useRecent() {
  return useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => open,
  );
}
