import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";

type Came = Schemas["TellAttempt"]["came"];

/** TellPage is what a patient is still to be told of their results, until somebody says that they were. */
export function TellPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const maySign = useRight("sign a result");
  const telling = useQuery({
    queryKey: ["desk", "telling", id],
    queryFn: () => got(api.GET("/api/tellings/{id}", { params: { path: { id } } })),
  });
  const [who, setWho] = useState("");
  const [why, setWhy] = useState("");
  const [error, setError] = useState("");
  const x = telling.data;
  const open = x?.state === "open";
  async function tried(came: Came) {
    setError("");
    try {
      await got(api.POST("/api/tellings/{id}/attempts", { params: { path: { id } }, body: { came, who, why } }));
      await client.invalidateQueries({ queryKey: ["desk"] });
      if (came === "no answer") setWhy("");
      else go(next);
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys(open ? [{ key: "Alt+a", label: "No answer: the line stays", run: () => void tried("no answer") }] : []);
  if (telling.error) return <p className="p-8">{say(telling.error)}</p>;
  if (!x) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4">
        <Whose patient={x.patient} also={portal(x.patient)} />
        <h2 className="text-title">
          {x.reports.map((r) => r.title).join(", ")}: {x.says}
        </h2>
        <p className="small mb-3">
          Signed by {x.by}, {day(x.at)}, {clock(x.at)}; comes back on {day(x.until)}
          {x.out && <b> · not all of it is in range</b>}
        </p>
        {x.text === "" &&
          x.reports.map((r) => (
            <section key={r.id} aria-label={r.title} className="mb-4 max-w-[60ch]">
              {r.gone ? (
                <p className="margin-note border-alarm font-semibold">
                  {r.title} has left this chart, because it does not belong here. Nothing of it is told.
                </p>
              ) : (
                <>
                  {r.corrected && (
                    <p className="margin-note mb-2 border-carried">
                      The laboratory has corrected {r.title} since it was signed: it is signed anew before the patient is told.
                    </p>
                  )}
                  <p className="font-serif text-read whitespace-pre-line">{r.says}</p>
                  {r.comment && (
                    <p className="mt-1">
                      <span className="label">In the chart</span> {r.comment}
                    </p>
                  )}
                  <Link to={`/desk/report/${r.id}`} className="text-kelp hover:underline">
                    The report
                  </Link>
                </>
              )}
            </section>
          ))}
        {x.text && <p className="mb-4 max-w-[60ch] font-serif text-read whitespace-pre-line">{x.text}</p>}
        {x.way === "letter" && (
          <p className="flex gap-4">
            <a className="plain px-0" href={`/api/tellings/${x.id}/letter.pdf`} target="_blank" rel="noreferrer">
              Print the letter
            </a>
            <a className="plain px-0" href="/api/tellings/all/letter.pdf" target="_blank" rel="noreferrer">
              Print all of mine that wait
            </a>
          </p>
        )}
        <ul className="mt-3 text-aside" aria-label="What was tried">
          {x.attempts.map((t) => (
            <li key={t.at + t.says}>
              {day(t.at)}, {clock(t.at)}: {t.says}
              {t.by && <span className="text-faded"> · {t.by}</span>}
            </li>
          ))}
        </ul>
        {x.answer && (
          <p className="margin-note mt-3">
            <b>{x.answerBy}</b>, {x.answerAt && `${day(x.answerAt)}, ${clock(x.answerAt)}`}: {x.answer}
          </p>
        )}
      </main>
      <aside aria-label="Telling the patient" className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-4">
        {x.patient.phone && <p className="mb-2">Telephone {x.patient.phone}</p>}
        {open && (
          <Form act={() => tried("reached")}>
            <label className="label block">
              Who was reached
              <input autoFocus className="field text-ink" value={who} onChange={(e) => setWho(e.target.value)} />
            </label>
            <label className="label mt-2 block">
              Remark
              <input className="field text-ink" value={why} onChange={(e) => setWhy(e.target.value)} />
            </label>
            <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
            <div className="flex flex-col items-start gap-2">
              <button type="submit" className="act">
                Told <KeyCap k="Enter" />
              </button>
              <button type="button" className="plain px-0" onClick={() => void tried("no answer")}>
                No answer: it stays open <KeyCap k="Alt+A" />
              </button>
              {x.way === "letter" && (
                <button type="button" className="plain px-0" onClick={() => void tried("posted")}>
                  The letter was posted
                </button>
              )}
              {x.way === "visit" && (
                <button type="button" className="plain px-0" onClick={() => void tried("at the visit")}>
                  Told at the visit
                </button>
              )}
              {maySign && (
                <button type="button" className="plain px-0" onClick={() => void tried("not told")}>
                  Not told, for the reason in the remark
                </button>
              )}
            </div>
          </Form>
        )}
      </aside>
    </>
  );
}
