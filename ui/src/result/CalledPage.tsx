import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Why } from "../kit/Form";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { Contacts } from "./Critical";

/** CalledPage is a critical value that a laboratory told by telephone, until its report is joined to it. */
export function CalledPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const mayEnd = useRight("take a critical value up");
  const called = useQuery(asks.called(id));
  const [joining, setJoining] = useState("");
  const [ending, setEnding] = useState(false);
  const [error, setError] = useState("");
  const c = called.data;
  const at = { params: { path: { id } } };
  async function close(what: () => Promise<unknown>, to: string) {
    setError("");
    try {
      await what();
      await Promise.all(["desk", "report", "critical"].map((k) => client.invalidateQueries({ queryKey: [k] })));
      go(to);
    } catch (e) {
      setError(say(e));
    }
  }
  const join = (report: string, why: string) =>
    close(() => got(api.POST("/api/called/{id}/join", { ...at, body: { report, why } })), `/desk/report/${report}`);
  if (called.error) return <p className="p-8">{say(called.error)}</p>;
  if (!c) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4">
        <Whose patient={c.patient} also={portal(c.patient)} />
        <h2 className="text-title">
          <span className="text-alarm">Critical:</span> {c.says}
        </h2>
        <p className="small mb-4">
          Told by {c.laboratory}
          {c.caller && `, ${c.caller}`}, by telephone, {day(c.calledAt)}, {clock(c.calledAt)}; taken down and read back by {c.by}
          {c.specimen && `. Specimen: ${c.specimen}`}
        </p>
        {c.state === "open" ? (
          <>
            <h3 className="label">Its report</h3>
            {c.reports.length === 0 && <p className="small">No report that may be the one is here yet.</p>}
            <ul>
              {c.reports.map((r) => (
                <li key={r.id} className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-2">
                  <span className="min-w-0 flex-1">
                    <Link to={`/desk/report/${r.id}`} className="font-semibold hover:underline">
                      {r.title}
                    </Link>
                    : {r.value} <span className="small">· {r.why}</span>
                  </span>
                  {joining === r.id ? (
                    <Why
                      label="Why it is this one all the same"
                      says="Why it is this one all the same"
                      word="Join"
                      act={(why) => join(r.id, why)}
                      leave={() => setJoining("")}
                    />
                  ) : (
                    <button
                      type="button"
                      className={r.likely ? "act" : "plain"}
                      onClick={() => (r.likely ? void join(r.id, "") : setJoining(r.id))}
                    >
                      It is this one{!r.likely && "…"}
                    </button>
                  )}
                </li>
              ))}
            </ul>
            {mayEnd && (
              <div className="mt-4">
                {ending ? (
                  <Why
                    label="Why no report comes, and what was done"
                    says="Why no report comes, and what was done"
                    word="Close it"
                    act={(why) => close(() => got(api.POST("/api/called/{id}/end", { ...at, body: { why } })), next)}
                    leave={() => setEnding(false)}
                  />
                ) : (
                  <button type="button" className="plain px-0" onClick={() => setEnding(true)}>
                    No report of it comes…
                  </button>
                )}
              </div>
            )}
          </>
        ) : (
          <p className="margin-note">
            <b>{c.answerBy}</b>, {c.answerAt && `${day(c.answerAt)}, ${clock(c.answerAt)}`}: {c.answer}
          </p>
        )}
        <Wrong says={error} className="mt-2" />
      </main>
      <aside aria-label="Review" className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full">
        <Contacts of={c} send={(body) => got(api.POST("/api/called/{id}/contacts", { ...at, body }))} />
        <p className="small">{c.owner || "Whoever may sign"} answers for it.</p>
      </aside>
    </>
  );
}
