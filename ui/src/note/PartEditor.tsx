import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { EditorState, Transaction } from "@codemirror/state";
import { drawSelection, EditorView, keymap } from "@codemirror/view";
import { useEffect, useRef } from "react";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";

/** PartEditor edits one part of the note as prose. */
export function PartEditor({
  shown,
  label,
  placeholder,
  onType,
  focusRef,
}: {
  shown: { text: string };
  label: string;
  placeholder: string;
  onType: (text: string) => void;
  focusRef: (focus: () => void) => void;
}) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const typed = useRef(onType);
  typed.current = onType;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; later texts are put in below
  useEffect(() => {
    const v: EditorView = new EditorView({
      parent: host.current as HTMLDivElement,
      state: EditorState.create({
        doc: shown.text,
        extensions: [
          history(),
          drawSelection(),
          EditorView.cspNonce.of(nonce),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": label, "aria-multiline": "true", role: "textbox", spellcheck: "true" }),
          keymap.of([
            {
              key: "Escape",
              run: (view) => {
                view.contentDOM.blur();
                return true;
              },
            },
            { key: "Mod-Enter", run: () => false },
            ...historyKeymap,
            ...defaultKeymap.filter((k) => k.key !== "Mod-Enter"),
          ]),
          EditorView.updateListener.of((u) => {
            if (u.docChanged && !u.transactions.some((t) => t.annotation(Transaction.remote)))
              typed.current(u.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = v;
    focusRef(() => {
      v.focus();
      v.dispatch({ selection: { anchor: v.state.doc.length } });
    });
    return () => v.destroy();
  }, []);
  useEffect(() => {
    const v = view.current;
    if (v && v.state.doc.toString() !== shown.text) {
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: shown.text }, annotations: Transaction.remote.of(true) });
    }
  }, [shown]);
  return (
    <div className="relative">
      {/* biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/noStaticElementInteractions: a click beside the text goes into it */}
      <div ref={host} className="min-h-[52px] cursor-text" onClick={() => view.current?.focus()} />
      {shown.text === "" && <Ghost view={view} placeholder={placeholder} />}
    </div>
  );
}

// Ghost shows what belongs here while the part is empty.
function Ghost({ view, placeholder }: { view: React.RefObject<EditorView | null>; placeholder: string }) {
  return (
    <span
      aria-hidden="true"
      className="pointer-events-none absolute top-0.5 left-0 font-serif text-[17px] text-faded"
      hidden={(view.current?.state.doc.length ?? 0) > 0}
    >
      {placeholder}
    </span>
  );
}
