import { useEffect, useRef } from "react";
import { api, got, type Schemas } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { Form } from "../../kit/Form";
import type { Act, Note } from "../useNote";

const responses = ["improving", "stable", "worse", "resolved", "at goal", "not at goal", "new"] as const;

/** Saying is what is said of one diagnosis: how it responds, why, what complicates
 * it, and the course of its measures as recorded; it becomes sentences. */
export function Saying({
  note,
  diagnosis: d,
  act,
  close,
}: {
  note: Note;
  diagnosis: Schemas["DiagnosisView"];
  act: Act;
  close: () => void;
}) {
  const [said, setSaid, given, left] = useLeft(
    `saying ${note.id} ${d.code}`,
    () => d.said,
    (s) => JSON.stringify(s) === JSON.stringify(d.said),
  );
  const why = useRef<HTMLInputElement>(null);
  const form = useRef<HTMLFormElement>(null);
  useEffect(() => {
    void form.current?.scrollIntoView({ block: "nearest" }); // all of it in sight; it may answer with a promise
  }, []);
  async function save(next = said) {
    const body = { ...next, code: d.code }; // on the version it was begun on, however long ago
    // The next key is for the page; words that are refused stand here again.
    given();
    close();
    if (!(await act.run(() => got(api.POST("/api/notes/{id}/diagnoses/words", { params: { path: { id: note.id } }, body })))))
      setSaid(next);
  }
  useKeys([{ key: "Escape", label: "Back to the note", run: close }]);
  const field = (label: string, key: "because" | "complicated" | "remark") => (
    <label className="label block">
      {label}
      <input
        ref={key === "because" ? why : undefined}
        className="field py-0.5 text-ink"
        value={said[key]}
        onChange={(e) => setSaid({ ...said, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <Form
      ref={form}
      aria-label={`What is said of ${d.title}`}
      className="my-1 ml-8 basis-full border border-edge p-3 text-aside"
      act={save}
      leave={close}
      onKeyDown={(e) => {
        // A digit chooses while the focus is on the choices, and goes on to the words.
        const r = responses[Number(e.key) - 1];
        if (r && (e.target as HTMLElement).tagName === "BUTTON" && !e.altKey && !e.ctrlKey) {
          e.preventDefault();
          e.stopPropagation();
          setSaid({ ...said, response: r });
          why.current?.focus();
        }
      }}
    >
      <div className="mb-2 flex flex-wrap gap-1.5" role="radiogroup" aria-label="Response to treatment">
        {responses.map((r, i) => (
          // biome-ignore lint/a11y/useSemanticElements: a row of choices drawn as buttons
          <button
            key={r}
            type="button"
            role="radio"
            aria-checked={said.response === r}
            autoFocus={i === 0}
            className="choice px-2 py-0.5"
            onClick={() => setSaid({ ...said, response: said.response === r ? "" : r })}
          >
            {r} <KeyCap k={String(i + 1)} />
          </button>
        ))}
      </div>
      <div className="grid grid-cols-2 gap-x-4">
        {field("Why", "because")}
        {field("Complicated by", "complicated")}
      </div>
      {field("Remark", "remark")}
      {d.measures.map((m) => (
        <label key={m.loinc} className="mt-1 flex items-baseline gap-2">
          <input
            type="checkbox"
            className="size-4 accent-kelp"
            checked={said.measures.includes(m.loinc)}
            onChange={(e) =>
              setSaid({
                ...said,
                measures: e.target.checked ? [...said.measures, m.loinc] : said.measures.filter((x) => x !== m.loinc),
              })
            }
          />
          {m.words}
        </label>
      ))}
      <button type="submit" className="choice mt-2 py-0.5">
        Write it <KeyCap k="Enter" />
      </button>
      <button
        type="button"
        className="plain ml-3"
        onClick={() => {
          given();
          close();
        }}
      >
        As it was
      </button>
      {left && <span className="ml-3 text-carried">Left here before and not written.</span>}
    </Form>
  );
}
