import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { api, got, type Schemas, say as words } from "../../exchange/client";
import { KeyCap, onEscape, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { Wrong } from "../../kit/Wrong";
import { useRight } from "../../session/me";
import { type Note, type useChange, useTools } from "../useNote";

type Question = Schemas["QuestionView"];
type Answer = Schemas["Answer"];

const units: [RegExp, string][] = [
  [/^(h|hr|hrs|hours?)$/, "h"],
  [/^(d|days?)$/, "d"],
  [/^(w|wk|weeks?)$/, "wk"],
  [/^(mo|months?)$/, "mo"],
  [/^(y|yr|a|years?)$/, "a"],
];

// reads "2 d" or "3 weeks" as a quantity.
function quantity(s: string): Answer | null {
  const m = /^(\d+(?:\.\d+)?)\s*([a-z]+)$/.exec(s.trim().toLowerCase());
  const unit = units.find(([re]) => re.test(m?.[2] ?? ""))?.[1];
  return m?.[1] && unit ? { number: m[1], unit } : null;
}

/** Questions asks the interviews of a note, one question after another, by keyboard. */
export function Questions({ note, act, close }: { note: Note; act: ReturnType<typeof useChange>; close: () => void }) {
  const tools = useTools();
  const flat = note.interviews.flatMap((i) => i.questions.map((q) => ({ interview: i.id, q })));
  const key = (x: { interview: string; q: Question }) => `${x.interview} ${x.q.link}`;
  const [here, setHere] = useState(() => {
    const x = flat.find((x) => x.q.values.length === 0) ?? flat[0];
    return x ? key(x) : "";
  });
  const at = Math.max(
    0,
    flat.findIndex((x) => key(x) === here),
  );
  const cur = flat[at];
  const go = (by: number, list = flat) => {
    const x = list[at + by];
    if (x) setHere(key(x));
    else if (by > 0) close();
  };
  useKeys([{ key: "Escape", label: "Back to the note", run: close }]);
  const interview = note.interviews.find((i) => i.id === cur?.interview);
  const leaving = useRef(() => {});
  return (
    <section
      aria-label="Questions"
      className="my-2 border-y border-rule bg-paper px-3 py-2.5"
      onKeyDown={onEscape(() => {
        leaving.current();
        close();
      })}
    >
      <div className="flex flex-wrap items-center gap-2 text-aside">
        {note.interviews.map((i) => (
          <span
            key={i.id}
            className={`inline-flex items-center border-b-2 ${i.id === cur?.interview ? "border-kelp font-semibold" : "border-transparent text-faded"}`}
          >
            <button
              type="button"
              className="px-1"
              onClick={() => setHere(key({ interview: i.id, q: i.questions[0] as Question }))}
            >
              {i.title}
            </button>
            <button
              type="button"
              aria-label={`Take out the questions on ${i.title}`}
              className="min-w-6 text-faded"
              onClick={() => void act.ask(i.id, true)}
            >
              ×
            </button>
          </span>
        ))}
        <label className="text-faded">
          <span className="sr-only">Add questions for</span>
          <select
            aria-label="Add questions for"
            className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-ink"
            value=""
            onChange={(e) => void act.ask(e.target.value, false)}
          >
            <option value="">Add questions for…</option>
            {tools.data?.interviews
              .filter((t) => !note.interviews.some((i) => i.id === t.id))
              .map((t) => (
                <option key={t.id} value={t.id}>
                  {t.title}
                </option>
              ))}
          </select>
        </label>
        <span className="flex-1" />
        {cur && (
          <span className="text-faded">
            {at + 1} of {flat.length}
          </span>
        )}
        <button type="button" className="plain" onClick={close}>
          Done <KeyCap k="Escape" />
        </button>
      </div>
      {act.error && <Wrong says={act.error} className="text-aside" />}
      {cur && interview && (
        <Ask
          key={key(cur)}
          noteId={note.id}
          interview={interview}
          q={cur.q}
          leaving={leaving}
          answer={async (values, next) => {
            const now = await act.answer(cur.interview, cur.q.link, values);
            if (now && next)
              go(
                1,
                now.interviews.flatMap((i) => i.questions.map((q) => ({ interview: i.id, q }))),
              );
            return !!now;
          }}
          go={go}
        />
      )}
    </section>
  );
}

function Ask({
  noteId,
  interview,
  q,
  answer,
  leaving,
  go,
}: {
  noteId: string;
  interview: Schemas["InterviewView"];
  q: Question;
  answer: (values: (now: Answer[]) => Answer[], next: boolean) => Promise<boolean>;
  /** What is done with the words in the field when the questions are left. */
  leaving: React.RefObject<() => void>;
  go: (by: number) => void;
}) {
  const mayChange = useRight("change the clinic's forms");
  const field = useRef<HTMLInputElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const choosing = q.type === "boolean" || q.options.length > 0;
  const v = choosing ? undefined : q.values[0];
  const said = v?.text ?? v?.date ?? (v?.number ? `${v.number}${v.unit ? ` ${v.unit}` : ""}` : "");
  const [text, setText, given] = useLeft(
    `question ${noteId} ${interview.id} ${q.link}`,
    () => said,
    (t) => t.trim() === said,
  );
  const [other, setOther] = useState(choosing && text !== "");
  const [error, setError] = useState("");
  useEffect(() => {
    if (choosing && !other) box.current?.focus();
    else field.current?.focus();
  }, [choosing, other]);
  const chosen = (code: string) => q.values.some((v) => v.code === code);
  function choose(code: string) {
    const alone = (c?: string) => q.options.some((o) => o.code === c && o.alone);
    void answer((now) => {
      if (now.some((v) => v.code === code)) return now.filter((v) => v.code !== code);
      if (!q.repeats) return [{ code }];
      return [...(alone(code) ? [] : now.filter((v) => !alone(v.code))), { code }];
    }, !q.repeats && !chosen(code));
  }
  function say(yes: boolean) {
    void answer(() => [{ yes }], true);
  }
  function understood(t: string): Answer | null {
    if (q.type === "quantity") return quantity(t);
    if (q.type === "integer" || q.type === "decimal") return /^\d+(\.\d+)?$/.test(t) ? { number: t } : null;
    if (q.type === "date") return /^\d{4}(-\d\d(-\d\d)?)?$/.test(t) ? { date: t } : null;
    return { text: t };
  }
  async function give(a: Answer, next: boolean) {
    if (await answer((now) => (choosing && q.repeats ? [...now, a] : [a]), next)) given();
  }
  // Words of an open question are its answer when it is left; what is no answer yet is kept,
  // and the note says so.
  useLayoutEffect(() => {
    leaving.current = () => {
      const a = understood(text.trim());
      if (!choosing && a && text.trim() !== "" && text.trim() !== said) void give(a, false);
    };
  });
  function type(next: boolean) {
    const t = text.trim();
    if (t === "") return choosing ? setOther(false) : void (q.values.length > 0 ? answer(() => [], next) : go(1));
    const a = understood(t);
    if (!a) {
      setError(
        q.type === "quantity"
          ? "Write how long with its unit, as in 2 d, 3 wk or 4 mo."
          : q.type === "date"
            ? "Write the date as precisely as known: 2024, 2024-05 or 2024-05-14."
            : "Write a number.",
      );
      return;
    }
    setError("");
    void give(a, next);
  }
  async function forClinic() {
    try {
      await got(
        api.POST("/api/forms/interview/{id}/answers", {
          params: { path: { id: interview.id } },
          body: { link: q.link, words: text },
        }),
      );
      type(!q.repeats);
    } catch (e) {
      setError(words(e));
    }
  }
  return (
    // The keys of a question belong to it alone; nothing else is typed into meanwhile.
    // biome-ignore lint/a11y/useSemanticElements: a fieldset takes no focus
    <div
      ref={box}
      tabIndex={choosing ? 0 : -1}
      role="group"
      aria-label={q.text}
      data-note={noteId}
      className="mt-1.5 rounded-[3px] outline-offset-2"
      onKeyDown={(e) => {
        if (e.target !== box.current || e.ctrlKey || e.metaKey || e.altKey) return;
        const n = Number(e.key);
        let done = true;
        if (q.type === "boolean" && e.key === "y") say(true);
        else if (q.type === "boolean" && e.key === "n") say(false);
        else if (n >= 1 && n <= q.options.length) choose(q.options[n - 1]?.code ?? "");
        else if (e.key === "a" && q.options.length > 0) setOther(true);
        else if (e.key === "Enter" || e.key === "ArrowDown") go(1);
        else if (e.key === "ArrowUp") go(-1);
        else if (e.key === "Backspace" || e.key === "Delete") void answer(() => [], false);
        else done = false;
        if (done) {
          e.preventDefault();
          e.stopPropagation();
        }
      }}
    >
      <p className="text-read font-semibold">{q.text}</p>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        {q.type === "boolean" &&
          [true, false].map((yes) => (
            <button
              key={String(yes)}
              type="button"
              aria-pressed={q.values[0]?.yes === yes}
              className="choice"
              onClick={() => say(yes)}
            >
              {yes ? "Yes" : "No"} <KeyCap k={yes ? "y" : "n"} />
            </button>
          ))}
        {q.options.map((o, i) => (
          <button
            key={o.code}
            type="button"
            aria-pressed={chosen(o.code)}
            className="choice py-1 font-normal"
            onClick={() => choose(o.code)}
          >
            {o.display} {i < 9 && <KeyCap k={String(i + 1)} />}
          </button>
        ))}
        {q.values
          .filter((v) => v.text && choosing)
          .map((v) => (
            <button
              key={v.text}
              type="button"
              aria-pressed={true}
              className="choice py-1 font-normal"
              onClick={() => void answer((now) => now.filter((x) => x.text !== v.text), false)}
            >
              {v.text} ×
            </button>
          ))}
        {q.options.length > 0 && !other && (
          <button type="button" className="plain text-aside" onClick={() => setOther(true)}>
            Another answer <KeyCap k="a" />
          </button>
        )}
        {(!choosing || other) && (
          <>
            <input
              ref={field}
              aria-label={other ? `Another answer to ${q.text}` : q.text}
              className="field max-w-[360px]"
              placeholder={q.type === "quantity" ? "2 d, 3 wk, 4 mo" : q.type === "date" ? "2024-05" : ""}
              value={text}
              onChange={(e) => setText(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === "Enter") {
                  e.preventDefault();
                  e.stopPropagation();
                  type(true);
                } else if (e.key === "Escape" && other) {
                  e.preventDefault();
                  e.stopPropagation();
                  setOther(false);
                } else if (e.key === "ArrowUp" && !other) go(-1);
                else if (e.key === "ArrowDown" && !other) go(1);
              }}
            />
            {other && (
              <>
                <button type="button" className="plain" onClick={() => type(!q.repeats)}>
                  For this note <KeyCap k="Enter" />
                </button>
                {mayChange && (
                  <button type="button" className="plain" onClick={() => void forClinic()}>
                    For the clinic
                  </button>
                )}
              </>
            )}
          </>
        )}
        {choosing && q.repeats && (
          <button type="button" className="plain text-aside" onClick={() => go(1)}>
            Next <KeyCap k="Enter" />
          </button>
        )}
      </div>
      <Wrong says={error} className="min-h-[20px] text-aside" />
    </div>
  );
}
