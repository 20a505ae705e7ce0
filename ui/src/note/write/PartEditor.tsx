import { closeCompletion } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { EditorState, Transaction } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";
import { useEffect, useRef, useState } from "react";
import { api, got } from "../../exchange/client";
import { useLatest } from "../../frame/latest";
import { completing, type Words } from "./completing";
import { misspelt, spelling, suggest, teach } from "./spelling";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";

// Keys that belong to the page, also while somebody types.
const ours = ["Mod-Enter", "Alt-Enter", "Alt-u", "Alt-l"];

/** PartEditor edits one part of the note as prose, with spelling, snippets and completion. */
export function PartEditor({
  shown,
  label,
  placeholder,
  onType,
  focusRef,
  words,
}: {
  shown: { text: string };
  label: string;
  placeholder: string;
  onType: (text: string) => void;
  focusRef: (focus: () => void, insert: (text: string) => void) => void;
  words: () => Words;
}) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const typed = useLatest(onType);
  const known = useLatest(words);
  const [spell, setSpell] = useState<{ from: number; to: number; word: string; better: string[] } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; later texts are put in below
  useEffect(() => {
    const v: EditorView = new EditorView({
      parent: host.current as HTMLDivElement,
      state: EditorState.create({
        doc: shown.text,
        extensions: [
          history(),
          EditorView.cspNonce.of(nonce),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({
            "aria-label": label,
            "aria-multiline": "true",
            role: "textbox",
            spellcheck: "false",
          }),
          spelling(),
          completing(() => known.current()),
          keymap.of([
            {
              key: "Alt-Enter",
              run: (view) => {
                const m = misspelt(view, view.state.selection.main.head);
                if (!m) return false;
                void suggest(m.word).then((better) => setSpell({ ...m, better }));
                return true;
              },
            },
            {
              key: "Escape",
              run: (view) => {
                closeCompletion(view);
                view.contentDOM.blur();
                return true;
              },
            },
            { key: "Mod-Enter", run: () => false },
            ...historyKeymap.filter((k) => !ours.includes(k.key ?? "")),
            ...defaultKeymap.filter((k) => !ours.includes(k.key ?? "")),
          ]),
          EditorView.domEventHandlers({
            click: (e, view) => {
              const at = view.posAtCoords({ x: e.clientX, y: e.clientY });
              const m = at === null ? null : misspelt(view, at);
              if (m) void suggest(m.word).then((better) => setSpell({ ...m, better }));
              else setSpell(null);
              return false;
            },
          }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) mark(u.view);
            if (u.docChanged && !u.transactions.some((t) => t.annotation(Transaction.remote))) {
              typed.current(u.state.doc.toString());
              setSpell(null);
            }
          }),
        ],
      }),
    });
    view.current = v;
    mark(v);
    focusRef(
      () => {
        v.focus();
        v.dispatch({ selection: { anchor: v.state.doc.length } });
      },
      (text) => {
        const end = v.state.doc.length;
        const gap = end > 0 && !/\s$/.test(v.state.doc.toString()) ? " " : "";
        v.dispatch({ changes: { from: end, insert: gap + text }, selection: { anchor: end + gap.length + text.length } });
        v.focus();
      },
    );
    return () => v.destroy();
  }, []);
  useEffect(() => {
    const v = view.current;
    if (v && v.state.doc.toString() !== shown.text) {
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: shown.text }, annotations: Transaction.remote.of(true) });
    }
  }, [shown]);
  function correct(word: string) {
    if (spell) view.current?.dispatch({ changes: { from: spell.from, to: spell.to, insert: word } });
    setSpell(null);
    view.current?.focus();
  }
  return (
    <div className="relative">
      {/* biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/noStaticElementInteractions: a click beside the text goes into it */}
      <div
        ref={host}
        data-spare={placeholder === ""}
        className="min-h-[30px] cursor-text data-[spare=true]:not-focus-within:data-[empty=true]:h-1 data-[spare=true]:not-focus-within:data-[empty=true]:min-h-0 data-[spare=true]:not-focus-within:data-[empty=true]:overflow-hidden"
        onClick={() => view.current?.focus()}
      />
      {shown.text === "" && <Ghost view={view} placeholder={placeholder} />}
      {spell && (
        <section className="my-1 flex flex-wrap items-center gap-1.5 text-aside" aria-label={`Spelling of ${spell.word}`}>
          <span className="text-faded">“{spell.word}” is not known:</span>
          {spell.better.map((b, i) => (
            <button
              key={b}
              type="button"
              autoFocus={i === 0}
              className="choice px-2 py-0.5 font-normal"
              onClick={() => correct(b)}
            >
              {b}
            </button>
          ))}
          <button
            type="button"
            className="plain py-0"
            onClick={() => {
              teach([spell.word]);
              void got(api.POST("/api/writing/words", { body: { word: spell.word } })).catch(() => {});
              setSpell(null);
            }}
          >
            Add to my words
          </button>
        </section>
      )}
    </div>
  );
}

// mark says beside the editor whether it is empty: where other text stands in its part,
// an empty one takes no line of its own until somebody writes there.
function mark(v: EditorView) {
  if (v.dom.parentElement) v.dom.parentElement.dataset.empty = String(v.state.doc.length === 0);
}

// Ghost shows what belongs here while the part is empty.
function Ghost({ view, placeholder }: { view: React.RefObject<EditorView | null>; placeholder: string }) {
  return (
    <span
      aria-hidden="true"
      className="pointer-events-none absolute top-0.5 left-0 font-serif text-title text-faded"
      hidden={(view.current?.state.doc.length ?? 0) > 0}
    >
      {placeholder}
    </span>
  );
}
