import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useChart } from "../chart/Chart";
import { Spine } from "../chart/Spine";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { recentCharts } from "../frame/recent";
import { clock, day } from "../frame/time";
import { Care } from "../kit/Care";
import { Wrong } from "../kit/Wrong";
import { OrderPad } from "../order/OrderPad";
import { DueHere } from "../reminder/DueHere";
import { useRight } from "../session/me";
import { House } from "./House";
import { Incoming } from "./Incoming";
import { List } from "./Lists";
import { type Acts, useIntake } from "./useIntake";
import { Vitals } from "./Vitals";

/** Intake steps through reason, histories, medicines, allergies and vital signs on one page. */
export default function Intake() {
  const { visit = "" } = useParams();
  const acts = useIntake(visit);
  const view = acts.intake.data;
  if (acts.intake.error) return <p className="p-8">{say(acts.intake.error)}</p>;
  if (!view) return <p className="p-8 small">Opening the intake…</p>;
  return <Page key={visit} view={view} acts={acts} visit={visit} />;
}

function Page({ view, acts, visit }: { view: Schemas["IntakeView"]; acts: Acts; visit: string }) {
  const p = view.visit.patient;
  const chart = useChart(p.id);
  const client = useQueryClient();
  const go = useNavigate();
  const first = useRef<HTMLInputElement>(null);
  const reason = useRef<HTMLInputElement>(null);
  const [fetching, setFetching] = useState(false);
  const [problems, setProblems] = useState<string[]>([]);
  const [ordering, setOrdering] = useState(false);
  const mayPrepare = useRight("prepare an order");
  const histories = view.lists.map((l) => l.id);
  useEffect(() => {
    recentCharts.show({ id: p.id, name: `${p.given} ${p.family}`, to: `/visits/${visit}/intake` });
  }, [p, visit]);
  async function fetchAll() {
    setFetching(true);
    try {
      const out = await got(api.POST("/api/visits/{id}/fetch", { params: { path: { id: visit } }, body: {} }));
      if (out.intake) acts.set(out.intake);
      setProblems(out.problems.length > 0 ? out.problems : out.new === 0 ? ["Nothing new came from elsewhere."] : []);
    } catch (e) {
      acts.setError(say(e));
    }
    setFetching(false);
  }
  async function handOver() {
    (document.activeElement as HTMLElement | null)?.blur(); // a value being typed is taken first
    const asks = await acts.settled();
    if (asks.length > 0) return acts.setError(`Not handed over: ${asks.join(", ")} still asks for an answer.`);
    try {
      const now = client.getQueryData<Schemas["IntakeView"]>(["intake", visit]) ?? view;
      const fresh = await got(api.GET("/api/visits/{id}/intake", { params: { path: { id: visit } } })).catch(() => now);
      await got(
        api.PUT("/api/visits/{id}/stage", {
          params: { path: { id: visit } },
          body: { stage: "ready", version: fresh.visit.version },
        }),
      );
      go("/");
    } catch (e) {
      acts.setError(say(e));
    }
  }
  const reviewed = (lists: string[]) => void acts.state(lists, "reviewed");
  const both = (k: string, label: string, run: () => void) => [
    { key: `Alt+${k}`, label, run },
    { key: k, label, run },
  ];
  useKeys([
    ...both("r", "Reason for visit", () => reason.current?.focus()),
    ...both("h", "All histories reviewed", () => reviewed(histories)),
    ...both("m", "Medicines reviewed", () => reviewed(["medicines"])),
    ...both("a", "Allergies reviewed", () => reviewed(["allergies"])),
    ...both("v", "Enter vital signs", () => first.current?.focus()),
    ...(view.sources.length > 0 ? both("f", "Fetch from elsewhere", () => void fetchAll()) : []),
    ...(mayPrepare ? both("o", "Prepare an order", () => setOrdering(true)) : []),
    ...both("n", "To the note", () => go(`/patients/${p.id}/visits/${visit}`)),
    { key: "Ctrl+Enter", label: "Hand over to the physician", run: () => void handOver() },
    { key: "Alt+z", label: "Reminder round", run: () => view && go(`/patients/${view.visit.patient.id}/round?visit=${visit}`) },
  ]);
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      {/* The room of the spine is kept while it loads, so that nothing moves under the pointer. */}
      {chart.data ? <Spine chart={chart.data} /> : <div className="w-[232px] shrink-0 border-r border-rule max-wide:h-40" />}
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        <div className="min-h-0 flex-1 overflow-auto px-10 py-5 max-wide:overflow-visible max-phone:px-4">
          <div className="mb-3 flex items-baseline gap-3 border-b border-rule pb-2.5">
            <h1 className="text-title-l">Intake</h1>
            <span className="small flex-1">
              {day(view.visit.startsAt)}, {clock(view.visit.startsAt)} · {view.visit.stage} · for {view.visit.clinician}
            </span>
          </div>
          <Wrong says={acts.error} className="text-aside" />
          <Reason view={view} acts={acts} visit={visit} input={reason} />
          <section aria-label="Histories" className="mt-4">
            <div className="flex items-baseline gap-3">
              <h2 className="flex-1 text-title">Histories</h2>
              <button type="button" className="choice py-1" onClick={() => reviewed(histories)}>
                All reviewed <KeyCap k="h" />
              </button>
            </div>
            {view.lists.map((l) => (
              <List key={l.id} list={l} acts={acts} patient={p.id} />
            ))}
          </section>
          <section aria-label="Medicines and allergies" className="mt-4">
            <h2 className="text-title">Medicines and allergies</h2>
            <Care warnings={view.care} />
            <List list={view.medicines} acts={acts} patient={p.id} k="m" more="d" />
            {view.stopped.length > 0 && (
              <details className="pb-2 pl-2 text-aside">
                <summary className="cursor-pointer text-faded">{view.stopped.length} stopped</summary>
                {view.stopped.map((m) => (
                  <p key={m.id}>
                    {m.title}, {m.detail}{" "}
                    <span className="text-faded">
                      · until {day(m.until)}
                      {m.by && `, stopped by ${m.by}`}
                    </span>
                  </p>
                ))}
              </details>
            )}
            <List list={view.allergies} acts={acts} patient={p.id} k="a" more="e" />
          </section>
          <div className="mt-4">
            <Vitals visit={visit} patient={p.id} acts={acts} first={first} />
          </div>
          <House view={view} acts={acts} visit={visit} />
        </div>
        <footer className="flex shrink-0 flex-wrap items-center gap-2.5 border-t border-rule bg-paper px-10 py-2 max-phone:px-4">
          <button type="button" className="act" onClick={() => void handOver()}>
            Hand over to {view.visit.clinician.split(" ")[0]} <KeyCap k="Ctrl+Enter" />
          </button>
          <Link className="choice" to={`/patients/${p.id}/visits/${visit}`}>
            To the note <KeyCap k="n" />
          </Link>
          {mayPrepare && (
            <button type="button" className="choice" onClick={() => setOrdering(true)}>
              Order <KeyCap k="o" />
            </button>
          )}
          <DueHere patient={p.id} visit={visit} k="Alt+Z" />
          {view.sources.length > 0 && (
            <button type="button" className="choice" disabled={fetching} onClick={() => void fetchAll()}>
              {fetching ? "Asking…" : "Fetch"} <KeyCap k="f" />
            </button>
          )}
        </footer>
      </main>
      {ordering && (
        <OrderPad
          patient={p}
          visitId={visit}
          diagnoses={(chart.data?.problems ?? []).map((x) => ({ code: x.code, title: x.title }))}
          close={() => setOrdering(false)}
        />
      )}
      <aside
        hidden={ordering}
        aria-label="What is done, and what came from outside"
        className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full max-wide:border-l-0"
      >
        <h2 className="mb-2 text-title">Done so far</h2>
        <ul className="mb-5">
          {view.done.map((s) => (
            <li key={s.step} className={s.done ? "text-settled" : ""}>
              <span aria-hidden="true">{s.done ? "✓ " : "○ "}</span>
              {s.step}
              {s.done ? <span className="sr-only">, done</span> : ", not yet"}
              {s.by && <span className="text-faded"> · {s.by}</span>}
            </li>
          ))}
        </ul>
        {problems.map((x) => (
          <p key={x} role="status" className="margin-note mb-3 border-carried">
            {x}
          </p>
        ))}
        <Incoming view={view} acts={acts} />
      </aside>
    </div>
  );
}

function Reason({
  view,
  acts,
  visit,
  input,
}: {
  view: Schemas["IntakeView"];
  acts: Acts;
  visit: string;
  input: React.RefObject<HTMLInputElement | null>;
}) {
  const v = view.visit;
  const [reason, setReason] = useState(v.reason);
  const [room, setRoom] = useState(v.room);
  async function save(kind = v.kind) {
    if (reason === v.reason && room === v.room && kind === v.kind) return;
    await acts.run(() => {
      const version = acts.intake.data?.visit.version ?? v.version;
      return got(api.POST("/api/visits/{id}/reason", { params: { path: { id: visit } }, body: { reason, kind, room, version } }));
    });
  }
  return (
    <section aria-label="Reason for visit" className="flex flex-wrap items-end gap-4">
      <label className="label min-w-[320px] flex-1">
        Reason for visit <KeyCap k="r" />
        <input
          ref={input}
          className="field text-read text-ink"
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          onBlur={() => void save()}
          onKeyDown={(e) => e.key === "Enter" && !e.ctrlKey && e.currentTarget.blur()}
        />
      </label>
      <label className="label">
        Kind of visit
        <select
          className="mt-0.5 block rounded-[3px] border border-edge bg-leaf px-1 py-1 font-normal text-ink"
          value={v.kind}
          onChange={(e) => void save(e.target.value)}
        >
          {[...new Set([v.kind, ...view.kinds])].map((k) => (
            <option key={k}>{k}</option>
          ))}
        </select>
      </label>
      <label className="label w-16">
        Room
        <input className="field text-ink" value={room} onChange={(e) => setRoom(e.target.value)} onBlur={() => void save()} />
      </label>
    </section>
  );
}
