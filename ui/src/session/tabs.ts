// The tabs of one browser share a session: what one of them does to it, all of them hear.
const channel = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel("deftledger-session");

type Word = "used" | "changed";

/** tellTabs says to the other tabs that the person is at work, or that the session changed:
 * locked, unlocked, signed in or out. */
export const tellTabs = (word: Word) => channel?.postMessage(word);

/** hearTabs hears what the other tabs say. */
export function hearTabs(f: (word: Word) => void) {
  const heard = (m: MessageEvent<Word>) => f(m.data);
  channel?.addEventListener("message", heard);
  return () => channel?.removeEventListener("message", heard);
}
