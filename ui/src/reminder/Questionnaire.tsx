import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type Item = Schemas["Question"];

/** Questionnaire asks its questions one after another: a digit answers and goes on, Enter keeps it. What was answered
 * and left is there again. */
export function Questionnaire({
  id,
  patient,
  keep,
  leave,
}: {
  id: string;
  patient: string;
  keep: (request: string, answers: Record<string, string>) => Promise<boolean>;
  leave: () => void;
}) {
  const form = useQuery(asks.questionnaire(patient, id));
  const { d, request, change, given } = useDraft(
    `questionnaire ${patient} ${id}`,
    () => ({ answers: {} as Record<string, string> }),
    (v) => Object.keys(v.answers).length === 0,
  );
  const latest = useRef(d.answers);
  const [at, setAt] = useState(0);
  const box = useRef<HTMLDivElement>(null);
  const items = form.data?.items ?? [];
  const asked = items.filter((i) => asks1(i, items, d.answers));
  const now = asked[Math.min(at, asked.length - 1)];
  useEffect(() => {
    if (!now) return;
    const field = box.current?.querySelector<HTMLElement>(`[data-question="${now.link}"]`);
    (field?.querySelector("input") ?? field)?.focus();
  }, [now]);
  if (form.error) return <Wrong says={say(form.error)} />;
  if (!form.data) return <p className="small">Opening the questions…</p>;
  const answer = (i: Item, value: string, on = true) => {
    latest.current = { ...latest.current, [i.link]: value }; // two quick answers are both kept
    change({ answers: latest.current });
    if (on) setAt(asked.findIndex((x) => x.link === i.link) + 1);
  };
  // What was answered the last time is brought forward question by question, by who looks at it.
  const before = (i: Item) => (d.answers[i.link] ? undefined : form.data.before.find((b) => b.link === i.link));
  const asBefore = (i: Item) => {
    const b = before(i);
    return b ? (
      <button type="button" className="plain py-0" onClick={() => answer(i, b.value)}>
        Still so: {b.says} ({day(b.on)}) <KeyCap k="=" />
      </button>
    ) : null;
  };
  const open = asked.filter((i) => i.counts && !d.answers[i.link]).length;
  return (
    <Form
      aria-label={form.data.title}
      className="grid gap-2"
      leave={leave}
      act={async () => {
        if (await keep(request, d.answers)) given();
      }}
    >
      {form.data.intro && <p className="font-semibold">{form.data.intro}</p>}
      <div ref={box} className="grid gap-2">
        {asked.map((i, n) => {
          const here = i.link === now?.link ? "bg-kelp-wash" : "";
          return i.kind === "choice" ? (
            <fieldset
              key={i.link}
              data-question={i.link}
              // biome-ignore lint/a11y/noNoninteractiveTabindex: the question at hand takes the digits that answer it
              tabIndex={0}
              className="rounded-[3px] px-2 py-1"
              onFocus={() => setAt(n)}
              onKeyDown={(e) => {
                const o = i.options[Number(e.key) - 1];
                const b = before(i);
                if (b && e.key === "=") {
                  e.preventDefault();
                  e.stopPropagation();
                  answer(i, b.value);
                } else if (o && !e.ctrlKey && !e.altKey && !e.metaKey) {
                  e.preventDefault();
                  e.stopPropagation();
                  answer(i, o.code);
                } else if (e.key === "Enter" && e.target === e.currentTarget) e.currentTarget.closest("form")?.requestSubmit();
              }}
            >
              <legend>{i.text}</legend>
              <div className="flex flex-wrap gap-1.5">
                {i.options.map((o, k) => (
                  <Choice key={o.code} on={d.answers[i.link] === o.code} set={() => answer(i, o.code)}>
                    {o.text} <KeyCap k={String(k + 1)} />
                  </Choice>
                ))}
                {asBefore(i)}
              </div>
            </fieldset>
          ) : (
            <div
              key={i.link}
              data-question={i.link}
              className={`flex flex-wrap items-baseline gap-x-2 rounded-[3px] px-2 py-1 ${here}`}
            >
              <label className="flex flex-wrap items-baseline gap-x-2">
                {i.text}
                <input
                  inputMode={i.kind === "number" ? "numeric" : undefined}
                  className="field w-[260px] py-0.5"
                  value={d.answers[i.link] ?? ""}
                  onFocus={() => setAt(n)}
                  onKeyDown={(e) => {
                    const b = before(i);
                    if (!b || e.key !== "=") return;
                    e.preventDefault();
                    answer(i, b.value);
                  }}
                  onChange={(e) => answer(i, e.target.value, false)}
                />
              </label>
              {asBefore(i)}
            </div>
          );
        })}
      </div>
      <div className="flex flex-wrap items-baseline gap-x-3">
        <button type="submit" className="act">
          Keep it and next <KeyCap k="Enter" />
        </button>
        <button type="button" className="plain" onClick={leave}>
          Leave it
        </button>
        <span className="small">
          {open > 0 ? `${open} not answered: without them there is no score. ` : ""}
          {form.data.source.body}, {form.data.source.year}; {form.data.source.licence}.
        </span>
      </div>
    </Form>
  );
}

// asks1 says whether a question is asked, given the answers; the server decides the same way.
function asks1(i: Item, items: Item[], answers: Record<string, string>) {
  if (!i.when) return true;
  const on = items.find((x) => x.link === i.when?.link);
  const o = on?.options.find((x) => x.code === answers[on.link]);
  return !o || o.score > 0;
}
