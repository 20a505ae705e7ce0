// What this browser keeps while the server has not got it: each unsaved text,
// encrypted with the key of the sign-in, so that the next user of the workstation
// cannot read it. It is wiped once the server has it.
import { api, got, Problem, type Schemas } from "../../exchange/client";

export type Part = Schemas["PartView"]["part"];

/** Unsent is one save as it was (or will be) sent; sent again, it counts once. */
export type Unsent = { noteId: string; part: Part; text: string; base: number; saveId: string };

/** Kept is the save under way, and the text as typed since. */
export type Kept = { sending: Unsent; typed: string };

type Me = Pick<Schemas["Me"], "id" | "draftKey">;

const name = (me: Me, noteId: string, part: string) => `deftledger:${me.id}:${noteId}:${part}`;

const keys = new Map<string, Promise<CryptoKey>>();
function key(me: Me) {
  let k = keys.get(me.draftKey);
  if (!k) {
    const raw = Uint8Array.from(atob(me.draftKey), (c) => c.charCodeAt(0));
    k = crypto.subtle.importKey("raw", raw, "AES-GCM", false, ["encrypt", "decrypt"]);
    keys.set(me.draftKey, k);
  }
  return k;
}

const order = new Map<string, number>();

// text64 writes bytes as Base64, in pieces that a call can take.
function text64(bytes: Uint8Array) {
  let text = "";
  for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
  return btoa(text);
}

/** keep stores a text; a later call for the same part always wins. */
export async function keep(me: Me, kept: Kept) {
  const slot = name(me, kept.sending.noteId, kept.sending.part);
  forget(slot);
  const turn = (order.get(slot) ?? 0) + 1;
  order.set(slot, turn);
  const iv = crypto.getRandomValues(new Uint8Array(12));
  const sealed = await crypto.subtle.encrypt(
    { name: "AES-GCM", iv },
    await key(me),
    new TextEncoder().encode(JSON.stringify(kept)),
  );
  if (order.get(slot) !== turn) return;
  localStorage.setItem(slot, text64(iv) + text64(new Uint8Array(sealed)));
}

const rest = 60; // ms: the keys typed within it are sealed once
const soon = new Map<string, { timer: number; kept: Kept }>();
function forget(slot: string) {
  window.clearTimeout(soon.get(slot)?.timer);
  soon.delete(slot);
}

/** keepSoon keeps a text a moment later, so that sealing it is not in the way of the
 * key being painted. */
export function keepSoon(me: Me, kept: Kept) {
  const slot = name(me, kept.sending.noteId, kept.sending.part);
  const waits = soon.get(slot);
  if (waits) waits.kept = kept;
  else
    soon.set(slot, {
      kept,
      timer: window.setTimeout(() => void keep(me, soon.get(slot)?.kept ?? kept), rest),
    });
}

/** wipe forgets a text that the server has. */
export function wipe(me: Me, noteId: string, part: string) {
  const slot = name(me, noteId, part);
  forget(slot);
  order.set(slot, (order.get(slot) ?? 0) + 1);
  localStorage.removeItem(slot);
}

async function open(me: Me, slot: string): Promise<Kept | null> {
  const text = localStorage.getItem(slot);
  if (!text) return null;
  try {
    const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
    const plain = await crypto.subtle.decrypt({ name: "AES-GCM", iv: bytes.slice(0, 12) }, await key(me), bytes.slice(12));
    return JSON.parse(new TextDecoder().decode(plain)) as Kept;
  } catch {
    return null; // of another key: not ours to read
  }
}

/** recall returns what is kept of a part, if anything. */
export const recall = (me: Me, noteId: string, part: string) => open(me, name(me, noteId, part));

/** send saves one part on the server. */
export const send = (u: Unsent) =>
  got(
    api.PUT("/api/notes/{id}/parts/{part}", {
      params: { path: { id: u.noteId, part: u.part } },
      body: { text: u.text, base: u.base, saveId: u.saveId },
    }),
  );

/** sendKept sends what an earlier window of this person could not. A text that
 * somebody else overtook is kept on the server beside the present one. */
export async function sendKept(me: Me) {
  for (const slot of Object.keys(localStorage).filter((k) => k.startsWith(`deftledger:${me.id}:`))) {
    const kept = await open(me, slot);
    if (!kept) continue;
    try {
      const first = await send(kept.sending);
      if (kept.typed !== kept.sending.text) {
        await send({
          ...kept.sending,
          text: kept.typed,
          base: first.stale ? kept.sending.base : first.version,
          saveId: crypto.randomUUID(),
        });
      }
      localStorage.removeItem(slot);
    } catch (e) {
      if (!(e instanceof Problem)) return; // not reachable: later
    }
  }
}
