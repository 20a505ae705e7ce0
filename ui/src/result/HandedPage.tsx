import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { ReportBody } from "./ReportBody";

/** HandedPage is a report that somebody handed over, with what is to be done about it. */
export function HandedPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const handed = useQuery({
    queryKey: ["desk", "handed", id],
    queryFn: () => got(api.GET("/api/hand-overs/{id}", { params: { path: { id } } })),
  });
  const h = handed.data;
  const report = useQuery({
    queryKey: ["report", h?.report],
    enabled: !!h,
    queryFn: () => got(api.GET("/api/reports/{id}", { params: { path: { id: h?.report ?? "" } } })),
  });
  const [says, setSays] = useState("");
  const [error, setError] = useState("");
  const open = h?.state === "open";
  async function answer(back: boolean) {
    try {
      await got(api.POST("/api/hand-overs/{id}/answer", { params: { path: { id } }, body: { says, back } }));
      await client.invalidateQueries({ queryKey: ["desk"] });
      go(next);
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys(
    open
      ? [
          { key: "Ctrl+Enter", label: "It is done, and the next", run: () => void answer(false) },
          { key: "Alt+b", label: "Hand it back", run: () => void answer(true) },
        ]
      : [],
  );
  if (handed.error) return <p className="p-8">{say(handed.error)}</p>;
  if (!h) return <main id="page" className="flex-1 bg-leaf" />;
  const own = h.mine;
  return (
    <>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4">
        <Whose patient={h.patient} also={portal(h.patient)} />
        {report.data && <ReportBody report={report.data} whys={false} />}
        {report.error && <p className="small">{say(report.error)}</p>}
      </main>
      <aside aria-label="Hand-over" className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-4">
        <h2 className="label">What is to be done</h2>
        <p className="mt-1 font-serif text-title-s">{h.instruction}</p>
        <p className="small mt-1">
          From {h.from} to {h.to}, {day(h.at)}, {clock(h.at)}; comes back on {day(h.until)}
          {h.passed && <b className="block text-alarm">The day has passed: it waits with {h.from} again.</b>}
        </p>
        {h.patient.phone && <p className="mt-2">Telephone {h.patient.phone}</p>}
        {open ? (
          <>
            <label className="label mt-4 block">
              {own ? "Why it is taken back" : "What was done"}
              <textarea
                autoFocus
                rows={4}
                className="box mt-1 border-kelp font-serif text-title-s text-ink"
                value={says}
                onChange={(e) => setSays(e.target.value)}
              />
            </label>
            <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
            {!own && (
              <button type="button" className="act" onClick={() => void answer(false)}>
                Done, and next <KeyCap k="Ctrl+Enter" />
              </button>
            )}
            <button type="button" className="plain mt-2 px-0" onClick={() => void answer(true)}>
              {own ? "Take it back" : "Hand it back"} <KeyCap k="Alt+B" />
            </button>
          </>
        ) : (
          <p className="margin-note mt-4">
            <b>
              {h.answerBy}: {h.state}
            </b>
            , {h.answerAt && `${day(h.answerAt)}, ${clock(h.answerAt)}`}
            <span className="block">{h.answer}</span>
            <Link className="text-kelp hover:underline" to={`/desk/report/${h.report}`}>
              The report
            </Link>
          </p>
        )}
      </aside>
    </>
  );
}
