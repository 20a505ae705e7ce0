// Checks spelling away from the typing: English, medical words derived from the
// data we ship, and the person's own words.

import nspell from "nspell";
import aff from "../../../node_modules/dictionary-en/index.aff?url";
import dic from "../../../node_modules/dictionary-en/index.dic?url";

type Ask =
  | { kind: "words"; words: string[]; whole?: boolean }
  | { kind: "check"; id: number; words: string[] }
  | { kind: "suggest"; id: number; word: string };

const ready = Promise.all([fetch(aff).then((r) => r.text()), fetch(dic).then((r) => r.text())]).then(([a, d]) => nspell(a, d));
const known = new Map<string, boolean>();

// Until the words of the trade have come, nothing is called misspelt.
let taught = () => {};
const lessons = new Promise<void>((done) => {
  taught = done;
});

self.onmessage = async (m: MessageEvent<Ask>) => {
  const spell = await ready;
  const ask = m.data;
  if (ask.kind === "words") {
    for (const w of ask.words) {
      spell.add(w);
      known.delete(w);
    }
    if (ask.whole) taught();
    return;
  }
  await lessons;
  if (ask.kind === "suggest") {
    self.postMessage({ id: ask.id, words: spell.suggest(ask.word).slice(0, 6) });
    return;
  }
  const wrong = ask.words.filter((w) => {
    let ok = known.get(w);
    if (ok === undefined) {
      ok = spell.correct(w) || spell.correct(w.toLowerCase());
      known.set(w, ok);
    }
    return !ok;
  });
  self.postMessage({ id: ask.id, words: wrong });
};
