// Spelling marks in the note's text, found by a worker so that typing stays fluid.
import { type Extension, RangeSetBuilder, StateEffect, StateField } from "@codemirror/state";
import { Decoration, type DecorationSet, type EditorView, ViewPlugin, type ViewUpdate } from "@codemirror/view";

let worker: Worker | null = null;
const starts = new Set<() => void>();

/** begun says whether spelling is looked at yet: the dictionary is large, and is fetched once somebody writes and rests. */
export const begun = {
  subscribe: (l: () => void) => {
    starts.add(l);
    return () => void starts.delete(l);
  },
  now: () => worker !== null,
};

// How long the writing rests before words are looked at: the first time longer, so that opening a note costs nothing.
const rest = () => (worker ? 400 : 2000);
let next = 1;
const waiting = new Map<number, (words: string[]) => void>();

function start(): Worker {
  if (!worker) {
    worker = new Worker(new URL("./spell.worker.ts", import.meta.url), { type: "module" });
    for (const l of starts) l();
    worker.onmessage = (m: MessageEvent<{ id: number; words: string[] }>) => {
      waiting.get(m.data.id)?.(m.data.words);
      waiting.delete(m.data.id);
    };
  }
  return worker;
}

const ask = (question: { kind: "check"; words: string[] } | { kind: "suggest"; word: string }) =>
  new Promise<string[]>((answer) => {
    const id = next++;
    waiting.set(id, answer);
    start().postMessage({ ...question, id });
  });

const listeners = new Set<() => void>();
let lessons = 0;

/** teach adds words to what is known; whole says that the words of the trade are among
 * them, and checking can begin. */
export function teach(words: string[], whole = false) {
  lessons++;
  start().postMessage({ kind: "words", words, whole });
  for (const l of listeners) l();
}

/** suggest proposes other spellings. */
export const suggest = (word: string) => ask({ kind: "suggest", word });

const wordAt = /\p{L}[\p{L}'’]+/gu;
const setWrong = StateEffect.define<Set<string>>();
const mark = Decoration.mark({ class: "cm-misspelt" });

const wrongWords = StateField.define<Set<string>>({
  create: () => new Set(),
  update: (now, tr) => {
    for (const e of tr.effects) if (e.is(setWrong)) return e.value;
    return now;
  },
});

/** misspelt says whether the word at a place is marked, and where it stands. */
export function misspelt(view: EditorView, at: number) {
  const line = view.state.doc.lineAt(at);
  for (const m of line.text.matchAll(wordAt)) {
    const from = line.from + m.index;
    if (from <= at && at <= from + m[0].length && view.state.field(wrongWords).has(m[0]))
      return { from, to: from + m[0].length, word: m[0] };
  }
  return null;
}

/** spelling marks words that no dictionary knows; the word being typed is left alone. */
export function spelling(): Extension {
  const plugin = ViewPlugin.fromClass(
    class {
      marks: DecorationSet = Decoration.none;
      timer = 0;
      checked = new Set<string>();
      again = () => {
        this.checked.clear();
        this.later(this.view);
      };
      constructor(readonly view: EditorView) {
        listeners.add(this.again);
        this.later(view);
      }
      update(u: ViewUpdate) {
        if (u.docChanged) this.later(u.view);
        if (
          u.docChanged ||
          u.viewportChanged ||
          u.selectionSet ||
          u.transactions.some((t) => t.effects.some((e) => e.is(setWrong)))
        )
          this.marks = this.draw(u.view);
      }
      later(view: EditorView) {
        window.clearTimeout(this.timer);
        this.timer = window.setTimeout(async () => {
          const words = new Set([...view.state.doc.toString().matchAll(wordAt)].map((m) => m[0]));
          const fresh = [...words].filter((w) => !this.checked.has(w));
          if (fresh.length === 0) return;
          const taught = lessons;
          const wrong = await ask({ kind: "check", words: fresh });
          if (taught !== lessons) return this.later(view); // asked before the latest words were known
          for (const w of fresh) this.checked.add(w);
          const all = new Set([...view.state.field(wrongWords)].filter((w) => !fresh.includes(w)));
          for (const w of wrong) all.add(w);
          view.dispatch({ effects: setWrong.of(all) });
        }, rest());
      }
      draw(view: EditorView) {
        const wrong = view.state.field(wrongWords);
        const out = new RangeSetBuilder<Decoration>();
        if (wrong.size === 0) return Decoration.none;
        const head = view.state.selection.main.head;
        for (const { from, to } of view.visibleRanges) {
          for (const m of view.state.sliceDoc(from, to).matchAll(wordAt)) {
            const a = from + m.index;
            const b = a + m[0].length;
            if (wrong.has(m[0]) && !(view.hasFocus && head === b)) out.add(a, b, mark);
          }
        }
        return out.finish();
      }
      destroy() {
        window.clearTimeout(this.timer);
        listeners.delete(this.again);
      }
    },
    { decorations: (v) => v.marks },
  );
  return [wrongWords, plugin];
}
