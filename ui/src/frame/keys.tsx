// Keys of a screen: registered beside the act they do, listed by "?", never
// taken from somebody who is typing.

import { type KeyboardEvent as ReactKey, useEffect, useLayoutEffect, useSyncExternalStore } from "react";
import { useMe } from "../session/me";
import { useLatest } from "./latest";

export type Key = { key: string; label: string; run: () => void };

const layers: Key[][] = [];
const listeners = new Set<() => void>();
let shown: Key[] = [];
function changed() {
  const seen = new Set<string>();
  shown = layers
    .toReversed()
    .flat()
    .filter((k) => !seen.has(k.key) && seen.add(k.key));
  for (const l of listeners) l();
}

/** useKeys registers keys while a component is shown. A key is a letter, or a
 * chord such as "Ctrl+Enter" or "Alt+p"; chords also work while typing. */
export function useKeys(keys: Key[]) {
  const now = useLatest(keys);
  const names = keys.map((k) => `${k.key}\t${k.label}`).join("\n");
  // With the screen itself, so that no key is lost between seeing it and its keys working.
  useLayoutEffect(() => {
    const layer = names
      ? names
          .split("\n")
          .map((n, i) => ({ key: n.split("\t")[0] ?? "", label: n.split("\t")[1] ?? "", run: () => now.current[i]?.run() }))
      : [];
    layers.push(layer);
    changed();
    return () => {
      layers.splice(layers.indexOf(layer), 1);
      changed();
    };
  }, [names, now]);
}

/** useShownKeys lists the keys that work now. */
export function useShownKeys() {
  return useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => shown,
  );
}

export function typing(target: EventTarget | null) {
  const t = target as HTMLElement | null;
  return (
    !!t &&
    (t.isContentEditable ||
      t.tagName === "TEXTAREA" ||
      t.tagName === "SELECT" ||
      (t.tagName === "INPUT" && !["checkbox", "radio"].includes((t as HTMLInputElement).type)))
  );
}

/** rest gives a dialog that is about to open a place to give the focus back to: the page,
 * where the field it came from is gone by then or there was none. Without it the focus
 * would go to whichever field had it some time before, and the next key with it. */
export function rest() {
  const page = document.getElementById("page");
  const place = page?.querySelector<HTMLElement>(":scope > .overflow-auto") ?? page;
  const now = document.activeElement;
  if (!place) return;
  place.tabIndex = -1;
  place.dataset.rest = "";
  place.focus({ preventScroll: true });
  if (now instanceof HTMLElement && now !== document.body) now.focus({ preventScroll: true });
}

/** onEscape runs an act on Escape within a panel, also while typing there. */
export const onEscape = (run: () => void) => (e: ReactKey) => {
  if (e.key !== "Escape" || e.isDefaultPrevented()) return;
  e.preventDefault();
  e.stopPropagation();
  run();
};

/** useKeyboard listens once for the whole application. */
export function useKeyboard() {
  const single = useMe().singleKeys;
  useEffect(() => {
    function down(e: KeyboardEvent) {
      if (e.isComposing) return;
      const chord =
        (e.ctrlKey || e.metaKey ? "Ctrl+" : "") +
        (e.altKey ? "Alt+" : "") +
        (e.key.length === 1 && e.altKey
          ? e.code
              .replace(/^(Key|Digit)/, "")
              .replace("Period", ".")
              .toLowerCase()
          : e.key);
      // A search field takes Enter for itself even when nothing is found; who really
      // uses this chord stops it.
      if (e.defaultPrevented && chord !== "Ctrl+Enter") return;
      const plain = !e.ctrlKey && !e.metaKey && !e.altKey;
      if (plain && (typing(e.target) || (!single && e.key !== "?" && e.key !== "/") || e.key === "Enter")) return;
      const k = shown.find((x) => x.key === chord);
      if (!k) return;
      e.preventDefault();
      k.run();
    }
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, [single]);
}

/** KeyCap shows a key beside its act. */
export function KeyCap({ k }: { k: string }) {
  return (
    <span className="key" aria-hidden="true">
      {k.replace("+", " ").replace("ArrowDown", "↓").replace("ArrowUp", "↑")}
    </span>
  );
}
