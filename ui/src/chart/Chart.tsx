import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { Ring } from "../frame/Ring";
import { recentCharts } from "../frame/recent";
import { clock, day } from "../frame/time";
import { More } from "../kit/More";
import { Wrong } from "../kit/Wrong";
import { kinds } from "../line/kinds";
import { OrderPad } from "../order/OrderPad";
import { OrderRow } from "../order/OrderRow";
import { Prepared } from "../order/Prepared";
import { Prescribe } from "../prescribe/Prescribe";
import { Refer } from "../referral/Refer";
import { DueHere } from "../reminder/DueHere";
import { Flags } from "../result/Flags";
import { useRight } from "../session/me";
import { Merge, Merged } from "./Merge";
import { Spine } from "./Spine";

/** useChart reads a chart; the first read of a screen counts as opening it. */
export function useChart(id: string) {
  const opened = useRef("");
  return useQuery({
    queryKey: ["chart", id],
    queryFn: () => {
      const refresh = opened.current === id;
      opened.current = id;
      return got(api.GET("/api/patients/{id}", { params: { path: { id } }, headers: refresh ? { "X-Refresh": "1" } : {} }));
    },
  });
}

/** Chart shows what happened, newest first, and what to do next. */
export function Chart() {
  const { id = "" } = useParams();
  const chart = useChart(id);
  const go = useNavigate();
  const client = useQueryClient();
  const [ordering, setOrdering] = useState(false);
  const [from, setFrom] = useState<Schemas["PreparedView"]>();
  const [merging, setMerging] = useState(false);
  const mayMerge = useRight("merge records");
  const [error, setError] = useState("");
  const seesResults = useRight("see results");
  const mayStart = useRight("write a note");
  const maySign = useRight("sign an order");
  const mayPrepare = useRight("prepare an order");
  const mayOrder = maySign || mayPrepare;
  const maySignReferral = useRight("sign a referral");
  const mayPrepareReferral = useRight("write a referral for a physician's signature");
  const mayRefer = maySignReferral || mayPrepareReferral;
  const [referring, setReferring] = useState(false);
  const mayPrescribe = useRight("sign a prescription");
  const mayWritePrescription = useRight("write a prescription for a physician's signature");
  const [prescribing, setPrescribing] = useState(false);
  const [words, setWords] = useState(""); // typed on the pad before a medicine or a referral was chosen
  const c = chart.data;
  const today = c?.today[0];
  useEffect(() => {
    if (c && c.patient.id !== id) {
      client.setQueryData(["chart", c.patient.id], c); // the same chart under its own address: it stays on the screen
      go(`/patients/${c.patient.id}`, { replace: true }); // it was merged into this chart
    } else if (c) recentCharts.show({ id, name: `${c.patient.given} ${c.patient.family}`, to: `/patients/${id}` });
  }, [c, id, go, client]);
  function order(prepared?: Schemas["PreparedView"]) {
    setFrom(prepared);
    setReferring(false);
    setPrescribing(false);
    setOrdering(true);
  }
  function refer(words = "") {
    setWords(words);
    setOrdering(false);
    setPrescribing(false);
    setReferring(true);
  }
  function prescribe(words = "") {
    setWords(words);
    setOrdering(false);
    setReferring(false);
    setPrescribing(true);
  }
  async function start() {
    if (!today) return;
    try {
      await got(api.POST("/api/visits/{id}/start", { params: { path: { id: today.id } } }));
      await client.invalidateQueries({ queryKey: ["visit", today.id] });
      go(`/patients/${id}/visits/${today.id}`);
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([
    ...(today && mayStart
      ? [{ key: "v", label: today.noteId ? "Resume today's visit" : "Start today's visit", run: () => void start() }]
      : []),
    ...(mayPrescribe || mayWritePrescription
      ? [
          {
            key: "x",
            label: mayPrescribe ? "Prescribe; renew, change or stop a medicine" : "Write a prescription",
            run: () => prescribe(),
          },
        ]
      : []),
    {
      key: "r",
      label: "Reminder round",
      run: () => go(`/patients/${c?.patient.id}/round${today && !today.signed ? `?visit=${today.id}` : ""}`),
    },
    ...(seesResults ? [{ key: "y", label: "Results over the years", run: () => go(`/patients/${c?.patient.id}/results`) }] : []),
    ...(seesResults ? [{ key: "e", label: "Records from elsewhere", run: () => go(`/patients/${c?.patient.id}/records`) }] : []),
    { key: "Alt+o", label: "Orders of this patient", run: () => go(`/patients/${c?.patient.id}/orders`) },
    ...(mayRefer
      ? [{ key: "f", label: maySignReferral ? "Refer to another practice" : "Write a referral", run: () => refer() }]
      : []),
    ...(mayOrder
      ? [{ key: "o", label: maySign ? "Order: tests, imaging, procedures, supplies" : "Prepare an order", run: () => order() }]
      : []),
  ]);
  if (chart.error) return <p className="p-8">{say(chart.error)}</p>;
  if (!c) return <p className="p-8 small">Opening the chart…</p>;
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <Spine chart={c} />
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        <div className="min-h-0 flex-1 overflow-auto max-wide:overflow-visible px-10 py-5 max-phone:px-4">
          <h2 className="mb-1 text-title-l">Chart</h2>
          <Wrong says={error} />
          {merging && <Merge chart={c} close={() => setMerging(false)} />}
          <Merged chart={c} mayPart={mayMerge} />
          <Timeline patient={c.patient.id} />
        </div>
        <footer className="flex shrink-0 flex-wrap items-center gap-x-2.5 gap-y-2 border-t [&>*]:whitespace-nowrap border-rule bg-paper px-10 py-2 max-phone:px-4">
          {today && mayStart && (
            <button type="button" className="act" onClick={start}>
              {today.signed ? "Read today's note" : today.noteId ? "Resume today's visit" : "Start today's visit"}
              <KeyCap k="v" />
            </button>
          )}
          {mayOrder && (
            <button type="button" className="choice" onClick={() => order()}>
              {maySign ? "Order" : "Prepare an order"} <KeyCap k="o" />
            </button>
          )}
          {(mayPrescribe || mayWritePrescription) && (
            <button type="button" className="choice" onClick={() => prescribe()}>
              Prescribe <KeyCap k="x" />
            </button>
          )}
          {mayRefer && (
            <button type="button" className="choice" onClick={() => refer()}>
              Refer <KeyCap k="f" />
            </button>
          )}
          <DueHere patient={c.patient.id} visit={today && !today.signed ? today.id : ""} />
          <Link className="plain px-1" to={`/patients/${c.patient.id}/orders`}>
            Orders <KeyCap k="Alt+O" />
          </Link>
          {seesResults && (
            <Link className="plain px-1" to={`/patients/${c.patient.id}/results`}>
              Results <KeyCap k="y" />
            </Link>
          )}
          {seesResults && (
            <Link className="plain px-1" to={`/patients/${c.patient.id}/records`}>
              From elsewhere <KeyCap k="e" />
            </Link>
          )}
          {!today && <span className="small">No visit today.</span>}
          {mayMerge && (
            <button type="button" className="plain ml-auto" onClick={() => setMerging(true)}>
              Another record…
            </button>
          )}
        </footer>
      </main>
      {!ordering && !referring && !prescribing && <Open chart={c} change={order} />}
      {prescribing && (
        <Prescribe
          patient={c.patient}
          medicines={c.medicines.map((m) => ({ id: m.id, name: m.name, dose: m.dose }))}
          begin={words}
          onto={() => order()}
          close={() => setPrescribing(false)}
        />
      )}
      {referring && (
        <Refer
          patient={c.patient}
          diagnoses={(c.problems ?? []).map((p) => ({ code: p.code, title: p.title }))}
          begin={words}
          onto={() => order()}
          close={() => setReferring(false)}
        />
      )}
      {ordering && (
        <OrderPad
          key={from?.id}
          from={from}
          patient={c.patient}
          diagnoses={(c.problems ?? []).map((p) => ({ code: p.code, title: p.title }))}
          turn={from ? undefined : (to, typed) => (to === "refer" ? refer(typed) : prescribe(typed))}
          close={() => setOrdering(false)}
        />
      )}
    </div>
  );
}

const quarters: Record<string, number> = { open: 0, "in hand": 2, "waiting on others": 3, closed: 4 };
// Open lists, in the margin, what somebody still has to close in this chart.
function Open({ chart, change }: { chart: Schemas["ChartView"]; change: (o: Schemas["PreparedView"]) => void }) {
  // Told once, when the chart is opened; a screen that refreshes itself does not forget it.
  const [since, setSince] = useState(chart.since);
  return (
    <aside
      aria-label="Open lines of this chart"
      className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full max-wide:border-l-0"
    >
      {since && (
        <div className="margin-note mb-5">
          <span className="block font-semibold">Since you opened this chart on {day(since.at)}</span>
          {since.items.map((s) => (
            <span key={s} className="block">
              {s}
            </span>
          ))}
          <button type="button" className="plain py-0" onClick={() => setSince(undefined)}>
            Put it away
          </button>
        </div>
      )}
      <h2 className="mb-3 text-title">Open lines</h2>
      {chart.open.length === 0 && <p className="small">Nothing in this chart waits for anybody.</p>}
      {chart.prepared.map((o) => (
        <Prepared key={o.id} order={o} patient={chart.patient} change={() => change(o)} />
      ))}
      {chart.open
        .filter((l) => l.kind !== "to sign")
        .map((l) => (
          <div key={l.line} className="margin-note mb-4">
            <span className="block font-semibold hover:[&_a]:underline">
              {kinds[l.kind].word}: <Link to={kinds[l.kind].to(l)}>{l.title}</Link>
            </span>
            <span className="block">
              <Ring of={quarters[l.state] ?? 0} /> {l.state}, since {day(l.since)}
            </span>
            <span className="block text-faded">
              {l.owner} answers for it; closes with: {l.closes}
            </span>
          </div>
        ))}
    </aside>
  );
}

// Standing is something that happened, and how it stands now.
function Standing({ state, children }: { state: ReactNode; children: ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-4 max-phone:block">
      <div className="min-w-0">{children}</div>
      {state && <div className="shrink-0 text-faded">{state}</div>}
    </div>
  );
}

// Timeline is everything that happened in this chart, newest first.
function Timeline({ patient }: { patient: string }) {
  const pages = useInfiniteQuery(asks.timeline(patient));
  const rows = pages.data?.pages.flatMap((p) => p.rows) ?? [];
  if (pages.error) return <Wrong says={say(pages.error)} />;
  if (!pages.data) return <p className="small">Reading what happened…</p>;
  if (rows.length === 0)
    return <p className="small">Nothing has happened yet. Visits, orders and results appear here, newest first.</p>;
  const left = (pages.data.pages.at(-1)?.count ?? 0) - rows.length;
  let last = "";
  return (
    <>
      <ul>
        {rows.map((r) => {
          const d = day(r.at);
          const head = d !== last;
          last = d;
          return (
            <li key={r.id} className="flex gap-x-4 border-b border-rule py-2 max-phone:flex-wrap">
              <span className="w-24 shrink-0 text-faded">{head ? d : ""}</span>
              <span className="w-11 shrink-0 text-faded">{clock(r.at)}</span>
              <div className="min-w-0 flex-1 max-phone:basis-full">
                {r.visit && (
                  <Standing
                    state={
                      r.visit.retracted
                        ? "retracted"
                        : r.visit.signed
                          ? "signed"
                          : r.visit.noteId
                            ? "note not signed"
                            : r.visit.stage
                    }
                  >
                    {r.visit.noteId ? (
                      <Link className="font-semibold hover:underline" to={`/patients/${patient}/visits/${r.visit.id}`}>
                        {r.visit.kind}
                      </Link>
                    ) : (
                      <span className="font-semibold">{r.visit.kind}</span>
                    )}
                    {": "}
                    {r.visit.reason} <span className="small">{r.visit.clinician}</span>
                  </Standing>
                )}
                {r.report && (
                  <Standing
                    state={
                      <span className="flex gap-3">
                        <Flags report={r.report} />
                        {r.report.status}, {r.report.signed ? "signed" : "not signed"}
                      </span>
                    }
                  >
                    <Link className="font-semibold hover:underline" to={`/desk/report/${r.report.id}`}>
                      {r.report.title}
                    </Link>{" "}
                    <span className="small">{r.report.performer}</span>
                  </Standing>
                )}
                {r.order && <OrderRow order={r.order} />}
                {r.vaccine && (
                  <>
                    <span className="font-semibold">{r.vaccine.name}</span> given, {r.vaccine.given.site}{" "}
                    <span className="small">
                      {r.vaccine.given.maker}, lot {r.vaccine.given.lot} · {r.vaccine.by}
                    </span>
                  </>
                )}
                {r.message && (
                  <Standing state={<span className={r.message.state === "refused" ? "text-alarm" : ""}>{r.message.state}</span>}>
                    <span className="font-semibold">Message to the patient</span>{" "}
                    <span className="small">portal, {r.message.by}</span>
                    <span className="block max-w-[60ch]">{r.message.says}</span>
                  </Standing>
                )}
                {r.further && (
                  <Standing state={r.further.state}>
                    <Link className="font-semibold hover:underline" to={`/desk/${r.kind}/${r.id}`}>
                      {r.further.title}
                    </Link>{" "}
                    <span className="small">{r.further.clinician}</span>
                    <span className="block max-w-[60ch]">{r.further.text}</span>
                  </Standing>
                )}
                {r.document && (
                  <Standing state={r.document.fax && `fax ${r.document.fax}`}>
                    <a
                      className="font-semibold hover:underline"
                      href={`/api/documents/${r.document.id}`}
                      target="_blank"
                      rel="noreferrer"
                    >
                      {r.document.title}
                    </a>{" "}
                    <span className="small">
                      document, {r.document.folio ? `folio ${r.document.folio}` : "not signed"}, {r.document.by || "from outside"}
                    </span>
                  </Standing>
                )}
              </div>
            </li>
          );
        })}
      </ul>
      <More of={pages} word={`${left} earlier`} />
    </>
  );
}
