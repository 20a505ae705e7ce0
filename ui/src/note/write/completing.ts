// Snippets and completion in the note's text.
import {
  acceptCompletion,
  autocompletion,
  type Completion,
  type CompletionContext,
  type CompletionResult,
  snippet as fill,
  moveCompletionSelection,
  startCompletion,
} from "@codemirror/autocomplete";
import { type Extension, Prec } from "@codemirror/state";
import { type EditorView, type KeyBinding, keymap } from "@codemirror/view";
import type { Schemas } from "../../exchange/client";

export type Words = { snippets: Schemas["Snippet"][]; chart: string[] };

// A field of ours, {words|this|that}, as the editor's own: the first choice stands
// in the field, and the field is filled one after another with Tab.
function template(text: string) {
  let n = 0;
  return text
    .replaceAll(/[\\$#]/g, (c) => (c === "#" || c === "$" ? c : `\\${c}`))
    .replaceAll(/\{([^}]*)\}/g, (_, field: string) => {
      n++;
      return `\${${n}:${field.split("|")[0]?.trim() ?? ""}}`;
    });
}

// While what is offered is looked up anew after a letter, nothing can be taken for a moment: Tab then takes it as soon as it can be, and
// does not leave the text under a quick hand.
function takeOffered(view: EditorView, tries = 0): boolean {
  if (acceptCompletion(view)) return true;
  if (!document.querySelector(".cm-tooltip-autocomplete") || tries > 50) return false;
  setTimeout(() => takeOffered(view, tries + 1), 20);
  return true;
}

/** completionKeys: Tab takes what is offered, the arrows choose; Enter stays a line
 * break and Escape leaves the text, whatever is offered. */
const completionKeys: KeyBinding[] = [
  { key: "Tab", run: (view) => takeOffered(view) },
  { key: "ArrowDown", run: moveCompletionSelection(true) },
  { key: "ArrowUp", run: moveCompletionSelection(false) },
  { key: "Ctrl-Space", run: startCompletion },
];

/** completing offers snippets after a comma and their key, and words of this chart:
 * medicines, problems and findings. */
export function completing(words: () => Words): Extension {
  // Who types before the snippets have come is offered them when they have.
  async function later(c: CompletionContext): Promise<CompletionResult | null> {
    for (let tries = 0; tries < 100 && !c.aborted; tries++) {
      if (words().snippets.length > 0) return source(c);
      await new Promise((r) => setTimeout(r, 50));
    }
    return null;
  }
  function source(c: CompletionContext): CompletionResult | null | Promise<CompletionResult | null> {
    const key = c.matchBefore(/(?:^|(?<=\s)),[a-z0-9]*/);
    if (key?.text.startsWith(",") && (key.text.length > 1 || c.explicit)) {
      if (words().snippets.length === 0) return later(c);
      const options: Completion[] = words().snippets.map((s) => ({
        label: `,${s.key}`,
        detail: s.title,
        info: s.text,
        type: "text",
        apply: fill(template(s.text)),
      }));
      return { from: key.from, options, validFor: /^,[a-z0-9]*$/ };
    }
    const word = c.matchBefore(/\p{L}[\p{L}-]{2,}/u);
    if (!word) return null;
    const typed = word.text.toLowerCase();
    const options = words()
      .chart.filter((w) => w.toLowerCase().startsWith(typed) && w.length > typed.length)
      .slice(0, 8)
      .map((label) => ({ label, type: "text" }));
    return options.length > 0 ? { from: word.from, options, filter: false } : null;
  }
  return [
    Prec.high(keymap.of(completionKeys)),
    autocompletion({ override: [source], icons: false, activateOnTyping: true, defaultKeymap: false, interactionDelay: 0 }),
  ];
}
