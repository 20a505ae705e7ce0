// Saves one part of a note as it is typed. "Saved" is said only when the server
// has it; until then the text is kept in this browser, encrypted.
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Problem, type Schemas, say } from "../../exchange/client";
import { clockSeconds } from "../../frame/time";
import { useMe } from "../../session/me";
import { type Kept, keep, keepSoon, type Part, recall, send, wipe } from "./kept";

type PartView = Schemas["PartView"];

/** Two are the two texts after a save that somebody else overtook. */
export type Two = { mine: string; now: PartView; saveId: string };

const pause = 350; // ms of rest before a save
const again = 1500; // ms before a save that got no answer is sent again

/** useSaver returns the text to show, what to call on every change, and how it stands. */
export function useSaver(noteId: string, server: PartView, onSaved: (part: PartView) => void) {
  const { id, draftKey, name } = useMe();
  const me = useMemo(() => ({ id, draftKey }), [id, draftKey]);
  const part = server.part as Part;
  const [shown, setShown] = useState({ text: server.text, from: "server" });
  const [status, setStatus] = useState(server.savedAt ? `Saved ${clockSeconds(server.savedAt)}` : "");
  const [two, setTwo] = useState<Two | null>(null);
  const now = useRef({
    version: server.version,
    saved: server.text,
    typed: server.text,
    kept: null as Kept | null,
    busy: false,
    stuck: false,
    timer: 0,
    gone: false,
    ready: false,
  });

  const run = useCallback(async () => {
    const n = now.current;
    window.clearTimeout(n.timer);
    if (n.busy || n.stuck || n.gone) return;
    if (!n.kept) {
      if (n.typed === n.saved) return;
      n.kept = { sending: { noteId, part, text: n.typed, base: n.version, saveId: crypto.randomUUID() }, typed: n.typed };
      await keep(me, n.kept);
    }
    n.busy = true;
    const { sending } = n.kept;
    try {
      const answer = await send(sending);
      n.busy = false;
      n.kept = null;
      if (answer.stale) {
        if (answer.now && answer.now.text !== sending.text) {
          n.stuck = true; // nothing more is sent until somebody decides
          setStatus("Two versions");
          setTwo({ mine: n.typed, now: answer.now, saveId: sending.saveId });
          wipe(me, noteId, part); // the server keeps both texts
          return;
        }
      }
      n.version = answer.version;
      n.saved = sending.text;
      onSaved({ part, text: sending.text, version: answer.version, savedAt: answer.savedAt, savedBy: name });
      if (n.typed === n.saved) {
        wipe(me, noteId, part);
        setStatus(`Saved ${clockSeconds(answer.savedAt)}`);
      } else {
        n.timer = window.setTimeout(run, pause);
      }
    } catch (e) {
      n.busy = false;
      if (e instanceof Problem && e.status < 500 && e.status !== 423 && e.status !== 401 && e.status !== 429) {
        n.kept = null;
        setStatus(`Not saved: ${say(e)}`);
        return;
      }
      setStatus("Not saved yet: kept in this browser");
      n.timer = window.setTimeout(run, again); // the same save, under the same identifier
    }
  }, [me, name, noteId, part, onSaved]);

  // What an earlier window could not send is taken up where it stood.
  useEffect(() => {
    const n = now.current;
    n.gone = false;
    void recall(me, noteId, part).then((kept) => {
      if (!kept || n.gone || n.ready) return;
      n.ready = true;
      n.kept = kept;
      n.typed = kept.typed;
      setShown({ text: kept.typed, from: "kept" });
      setStatus("Taken up again");
      void run();
    });
    return () => {
      n.gone = true;
      window.clearTimeout(n.timer);
      if (n.typed !== n.saved && !n.stuck && !n.busy) {
        // Leaving the page: the last words go out without waiting for a rest.
        const last = n.kept ?? {
          sending: { noteId, part, text: n.typed, base: n.version, saveId: crypto.randomUUID() },
          typed: n.typed,
        };
        n.kept = last;
        void keep(me, { ...last, typed: n.typed })
          .then(() => send(last.sending))
          .then((a) => {
            if (!a.stale && last.sending.text === n.typed) wipe(me, noteId, part);
          })
          .catch(() => {}); // kept, and sent at the next opening
      }
    };
  }, [me, noteId, part, run]);

  // Somebody else saved while nothing is unsaved here: show theirs.
  useEffect(() => {
    const n = now.current;
    if (server.version <= n.version || n.busy || n.kept || n.stuck || n.typed !== n.saved) return;
    n.version = server.version;
    n.saved = n.typed = server.text;
    setShown({ text: server.text, from: "server" });
    setStatus(`Saved ${clockSeconds(server.savedAt)} by ${server.savedBy}`);
  }, [server]);

  const type = useCallback(
    (text: string) => {
      const n = now.current;
      n.typed = text;
      if (n.stuck) return;
      const kept = n.kept ?? { sending: { noteId, part, text, base: n.version, saveId: crypto.randomUUID() }, typed: text };
      if (n.kept) n.kept.typed = text;
      keepSoon(me, { ...kept, typed: text });
      setStatus((s) => (s.startsWith("Not saved") ? s : "Saving…"));
      if (!n.busy && !(n.kept && status.startsWith("Not saved"))) {
        window.clearTimeout(n.timer);
        n.timer = window.setTimeout(run, pause);
      }
    },
    [me, noteId, part, run, status],
  );

  /** settle goes on with the chosen text on top of the present version. */
  const settle = useCallback(
    (text: string) => {
      const n = now.current;
      if (!two) return;
      n.version = two.now.version;
      n.saved = two.now.text;
      n.typed = text;
      n.stuck = false;
      setTwo(null);
      setShown({ text, from: "settled" });
      setStatus("Saving…");
      void run();
    },
    [two, run],
  );

  /** flush saves now and returns the version the server has, for signing. */
  const flush = useCallback(async () => {
    const n = now.current;
    for (let i = 0; i < 40 && (n.busy || n.typed !== n.saved); i++) {
      if (n.stuck) throw new Error("Two versions of a part wait for a decision. Settle that first.");
      if (n.busy) await new Promise((r) => setTimeout(r, 50));
      else await run();
    }
    if (n.typed !== n.saved)
      throw new Error("The server does not have the last words yet. They are kept here; sign when it answers.");
    return n.version;
  }, [run]);

  return { shown, status, two, type, settle, flush };
}
