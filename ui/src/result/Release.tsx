import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";

type Reason = Schemas["HoldReasonView"]["reason"];

/** Holding asks for the reason and the day for which something is held back from the portal. */
export function Holding({
  of,
  title,
  done,
  leave,
}: {
  of: { report: string } | { order: string };
  title: string;
  done: () => void;
  leave: () => void;
}) {
  const { today } = useMe();
  const client = useQueryClient();
  const reasons = useQuery(asks.holdReasons());
  const [reason, setReason] = useState<Reason>("harm");
  const [words, setWords] = useState("");
  const [until, setUntil] = useState("");
  const [error, setError] = useState("");
  async function hold() {
    setError("");
    try {
      await got(api.POST("/api/holds", { body: { ...of, reason, words, until } }));
      for (const key of ["desk", "report", "packet", "order"]) await client.invalidateQueries({ queryKey: [key] });
      done();
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <Form className="margin-note mt-2" act={hold}>
      <p className="label">{title}: held back from the portal</p>
      <label className="label mt-2 block">
        Because of
        <select className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value as Reason)}>
          {(reasons.data ?? []).map((r) => (
            <option key={r.reason} value={r.reason}>
              {r.says}
            </option>
          ))}
        </select>
      </label>
      <label className="label mt-2 block">
        What of this patient makes it so
        <textarea autoFocus rows={2} className="box mt-1 text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
      </label>
      <label className="label mt-2 block">
        Comes back on
        <input type="date" min={today} className="field text-ink" value={until} onChange={(e) => setUntil(e.target.value)} />
      </label>
      <p className="mt-3 flex gap-3">
        <button type="submit" className="act">
          Hold back
        </button>
        <button type="button" className="plain" onClick={leave}>
          Leave it
        </button>
      </p>
      <Wrong says={error} className="mt-2 text-aside" />
    </Form>
  );
}

/** Released says how reports stand with the portal of their patient; one that has not gone out can be held back. Without a portal
 * there is nothing to say. */
export function Released({ reports }: { reports: Schemas["ReportView"][] }) {
  const maySign = useRight("sign a result");
  const [holding, setHolding] = useState("");
  const here = reports.filter((r) => r.release.state && r.release.state !== "not offered" && !r.gone);
  if (here.length === 0) return null;
  const all = here.length > 1 && here.every((r) => r.release.state === "released" && r.release.says === "the portal has it");
  const last =
    here
      .map((r) => r.release.at)
      .sort()
      .at(-1) ?? "";
  return (
    <section aria-label="The portal" className="mt-6 border-t border-rule pt-3 text-aside">
      <h2 className="label mb-1">Released to the portal</h2>
      {all && (
        <p className="text-faded">
          All {here.length}, the last {day(last)}, {clock(last)}; the portal has them
        </p>
      )}
      {(all ? [] : here).map((r) => (
        <div key={r.id} className="py-0.5">
          {reports.length > 1 && <span>{r.title}: </span>}
          {r.release.state === "released" ? (
            <span className="text-faded">
              {day(r.release.at)}, {clock(r.release.at)}; {r.release.says}
            </span>
          ) : r.release.hold ? (
            <>
              <Link className="font-semibold text-carried hover:underline" to={`/desk/hold/${r.release.hold}`}>
                held back until {day(r.release.until)}
              </Link>{" "}
              <span className="text-faded">{r.release.says}</span>
            </>
          ) : (
            <>
              <span className="text-faded">
                {r.release.state === "waits" ? "not yet" : r.release.state}; {r.release.says}
              </span>
              {maySign && holding !== r.id && (
                <button type="button" className="plain py-0" onClick={() => setHolding(r.id)}>
                  hold back…
                </button>
              )}
            </>
          )}
          {holding === r.id && (
            <Holding of={{ report: r.id }} title={r.title} done={() => setHolding("")} leave={() => setHolding("")} />
          )}
        </div>
      ))}
      <p className="small">Released is not told.</p>
    </section>
  );
}

/** HoldPage is what is held back from the portal, until somebody releases it. */
export function HoldPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const { today } = useMe();
  const maySign = useRight("sign a result");
  const hold = useQuery({
    queryKey: ["desk", "hold", id],
    queryFn: () => got(api.GET("/api/holds/{id}", { params: { path: { id } } })),
  });
  const [until, setUntil] = useState("");
  const [words, setWords] = useState("");
  const [error, setError] = useState("");
  const x = hold.data;
  async function act(doing: Promise<unknown>) {
    setError("");
    try {
      await doing;
      await client.invalidateQueries();
      go(next);
    } catch (e) {
      setError(say(e));
    }
  }
  if (hold.error) return <p className="p-8">{say(hold.error)}</p>;
  if (!x) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4">
        <Whose patient={x.patient} also={portal(x.patient)} />
        <h2 className="text-title">{x.title}: held back from the portal</h2>
        <p className="small mb-3">
          By {x.by}, {day(x.at)}, {clock(x.at)}; comes back on {day(x.until)}
          {x.passed && <b className="text-alarm"> · the day has passed</b>}
        </p>
        <p className="max-w-[70ch]">
          <b>{x.reason}.</b> <span className="font-serif text-read">{x.words}</span>
        </p>
        {x.report && (
          <p className="mt-3">
            <Link className="plain px-0" to={`/desk/report/${x.report}`}>
              The report
            </Link>
          </p>
        )}
        {x.order && (
          <p className="mt-3">
            <Link className="plain px-0" to={`/desk/order/${x.order}`}>
              The order
            </Link>
          </p>
        )}
      </main>
      <aside aria-label="Decision" className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full">
        {x.state !== "open" ? (
          <p>
            Released by {x.done}, {day(x.doneAt)}, {clock(x.doneAt)}.
          </p>
        ) : maySign ? (
          <>
            <button
              type="button"
              className="act"
              onClick={() => void act(got(api.POST("/api/holds/{id}/release", { params: { path: { id } } })))}
            >
              Release it now
            </button>
            <Form
              className="mt-6"
              act={() => act(got(api.POST("/api/holds/{id}/longer", { params: { path: { id } }, body: { until, words } })))}
            >
              <label className="label block">
                Or hold it on until
                <input
                  type="date"
                  min={today}
                  className="field text-ink"
                  value={until}
                  onChange={(e) => setUntil(e.target.value)}
                />
              </label>
              <label className="label mt-2 block">
                Because
                <input className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
              </label>
              <button type="submit" className="choice mt-3">
                Hold on
              </button>
            </Form>
          </>
        ) : (
          <p className="small">A physician releases it.</p>
        )}
        <Wrong says={error} className="mt-3 text-aside" />
      </aside>
    </>
  );
}
