import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { Choice } from "../kit/Choice";
import { moment } from "../kit/Course";
import { Form } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useClose } from "../line/useClose";

/** RemindedPage is a letter or message that reminded somebody, on the desk until it is written down what came of it. */
export function RemindedPage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.reminded(id));
  const r = opened.data;
  const { d, change, given } = useDraft(
    `reminded ${id}`,
    () => ({ outcome: "", remark: "" }),
    (v) => v.outcome === "" && v.remark.trim() === "",
  );
  const remark = useRef<HTMLInputElement>(null);
  function choose(outcome: string) {
    change({ outcome });
    remark.current?.focus(); // Enter closes it from there
  }
  useKeys(r?.state === "open" ? r.outcomes.map((o, i) => ({ key: String(i + 1), label: o, run: () => choose(o) })) : []);
  const { close, error } = useClose(next, r?.patient.id);
  const end = () =>
    close(
      () =>
        got(
          api.POST("/api/reminded/{id}", {
            params: { path: { id } },
            body: { outcome: d.outcome, remark: d.remark || undefined },
          }),
        ),
      given,
    );
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {r && (
        <div className="max-w-[72ch]">
          <Whose patient={r.patient} />
          <h2 className="mt-3 text-title">Reminded by {r.way === "portal" ? "the portal" : "letter"}</h2>
          <p className="small mb-3">
            By {r.by}, {moment(r.at)}
            {r.way === "letter" && (
              <>
                {" · "}
                <a
                  className="text-kelp underline"
                  href={`/api/practice/recalls/${r.request}/letters.pdf`}
                  target="_blank"
                  rel="noreferrer"
                >
                  the letters written then
                </a>
              </>
            )}
          </p>
          <h3 className="font-semibold">How it stands today</h3>
          <ul className="mb-3">
            {r.stands.map((s) => (
              <li key={s.title} className="border-b border-rule py-1">
                {s.title}{" "}
                <span className={s.state === "due" || s.state === "overdue" ? "font-semibold" : "text-settled"}>{s.state}</span>
                <span className="text-faded"> {s.says}</span>
              </li>
            ))}
          </ul>
          <details className="mb-4">
            <summary className="cursor-pointer font-semibold">What was written</summary>
            <p className="whitespace-pre-wrap border-l-2 border-rule pl-4">{r.text}</p>
          </details>
          {r.state === "open" ? (
            <Form className="grid gap-2" act={end}>
              <fieldset className="flex flex-wrap gap-x-1.5 gap-y-2">
                <legend className="mb-1 font-semibold">What came of it</legend>
                {r.outcomes.map((o, i) => (
                  <Choice key={o} on={d.outcome === o} set={() => choose(o)}>
                    {o} <KeyCap k={String(i + 1)} />
                  </Choice>
                ))}
              </fieldset>
              <label className="font-semibold">
                Remark{d.outcome === "dropped" ? ", why" : ""}
                <input
                  ref={remark}
                  className="field font-normal"
                  value={d.remark}
                  onChange={(e) => change({ remark: e.target.value })}
                />
              </label>
              <Wrong says={error} />
              <button type="submit" className="act justify-self-start" disabled={!d.outcome}>
                Close it <KeyCap k="Enter" />
              </button>
            </Form>
          ) : (
            <p className="font-semibold text-settled">
              {r.answer} ({r.answerBy})
            </p>
          )}
        </div>
      )}
    </main>
  );
}
