import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { Ring } from "../frame/Ring";
import { age, clock, day } from "../frame/time";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";
import { ToBook } from "./ToBook";

type Visit = Schemas["VisitView"];

// The ring fills by quarter as the visit goes on.
const quarter: Record<Visit["stage"], number> = {
  expected: 0,
  arrived: 1,
  intake: 1,
  ready: 2,
  "in visit": 3,
  finishing: 3,
  done: 4,
};

// A name in short, where the table has little room: "J. Whitlock".
const short = (name: string) => `${name.charAt(0)}. ${name.split(" ").slice(1).join(" ")}`;

/** Today lists the day's visits. */
export function Today() {
  const me = useMe();
  const go = useNavigate();
  const client = useQueryClient();
  const mayStart = useRight("write a note");
  const mayOpen = useRight("see a chart");
  const mayIntake = useRight("do the intake");
  const mayBook = useRight("book a visit");
  const mayRegister = useRight("register a patient");
  // Who may not sign begins with the intake; the physician with the note.
  const first = useRight("sign a note") ? "note" : "intake";
  const visits = useQuery(asks.day());
  const [chosen, setAt] = useState(-1);
  const [error, setError] = useState("");
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const t = setInterval(() => setNow(Date.now()), 20_000);
    return () => clearInterval(t);
  }, []);
  const list = visits.data ?? [];
  // Until somebody chooses, the first visit of one's own that is not done is at hand.
  const mine = list.findIndex((v) => v.mine && v.stage !== "done");
  const at = chosen >= 0 ? chosen : Math.max(0, mine);
  const here = list[at];
  const place = (v: Visit) => `/patients/${v.patient.id}/visits/${v.id}`;

  async function start(v: Visit | undefined) {
    if (!v || !mayStart) return;
    try {
      await got(api.POST("/api/visits/{id}/start", { params: { path: { id: v.id } } }));
      await client.invalidateQueries({ queryKey: ["visit", v.id] });
      go(place(v));
    } catch (e) {
      setError(say(e));
    }
  }
  async function intake(v: Visit | undefined) {
    if (!v || !mayIntake || v.signed) return;
    try {
      await got(api.POST("/api/visits/{id}/start", { params: { path: { id: v.id } } }));
      await client.invalidateQueries({ queryKey: ["visit", v.id] });
      go(`/visits/${v.id}/intake`);
    } catch (e) {
      setError(say(e));
    }
  }
  async function move(v: Visit, stage: Visit["stage"]) {
    try {
      await got(api.PUT("/api/visits/{id}/stage", { params: { path: { id: v.id } }, body: { stage, version: v.version } }));
      setError("");
    } catch (e) {
      setError(say(e));
    }
    await client.invalidateQueries({ queryKey: ["day"] });
  }
  const digits = list.slice(0, 9).map((v, i) => ({
    key: String(i + 1),
    label: `Go to the visit of ${clock(v.startsAt)}`,
    run: () => {
      setAt(i);
      document.getElementById(`visit-${v.id}`)?.focus();
    },
  }));
  useKeys([
    ...digits,
    { key: "ArrowDown", label: "Next visit", run: () => setAt(Math.min(list.length - 1, at + 1)) },
    { key: "ArrowUp", label: "Visit before", run: () => setAt(Math.max(0, at - 1)) },
    ...(mayStart ? [{ key: "v", label: "Start or resume the visit", run: () => void start(here) }] : []),
    ...(mayIntake ? [{ key: "i", label: "Intake", run: () => void intake(here) }] : []),
    ...(mayRegister ? [{ key: "n", label: "Register somebody new", run: () => go("/patients/new") }] : []),
    ...(mayRegister
      ? [{ key: "g", label: "Open the registration", run: () => here && go(`/patients/${here.patient.id}/registration`) }]
      : []),
    ...(mayOpen ? [{ key: "c", label: "Open the chart", run: () => here && go(`/patients/${here.patient.id}`) }] : []),
  ]);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf">
      <div className="mx-auto max-w-[1240px] px-6 py-5">
        <div className="mb-3 flex items-baseline gap-3">
          <h1 className="text-page">Today</h1>
          <span className="small flex-1">
            {day(me.today)}
            {visits.isSuccess && ` · ${list.length} visits, ${list.filter((v) => v.stage === "done").length} done`}
          </span>
          {mayRegister && (
            <Link className="choice py-1" to="/patients/new">
              Somebody new <KeyCap k="n" />
            </Link>
          )}
        </div>
        <Wrong says={error} />
        {visits.isSuccess && list.length === 0 && (
          <p className="small">No visits today. They appear here as the front desk books them; find a patient with /.</p>
        )}
        {list.length > 0 && (
          <Table
            className="table-fixed"
            columns={[
              { word: "Key", className: "w-9", hidden: true },
              { word: "Time", className: "w-14" },
              { word: "Patient" },
              { word: "Age, sex", className: "w-23" },
              { word: "Reason" },
              { word: "Room", className: "w-14" },
              { word: "Stage", className: "w-30" },
              { word: "Waiting", className: "w-16" },
              { word: "With", className: "w-28 max-slim:hidden" },
              { word: "Physician", className: "w-28 max-slim:hidden" },
              { word: "Act", className: "w-36", hidden: true },
            ]}
          >
            {list.map((v, i) => (
              <tr
                key={v.id}
                className={`h-[42px] border-b border-rule align-middle ${i === at ? "bg-kelp-wash" : ""}`}
                onPointerDown={() => setAt(i)}
              >
                <td className="pl-1">{i < 9 && <KeyCap k={String(i + 1)} />}</td>
                <td className={v.stage === "done" ? "text-faded" : "font-semibold"}>{clock(v.startsAt)}</td>
                <td className="pr-2">
                  <Link
                    id={`visit-${v.id}`}
                    to={!mayOpen ? `/patients/${v.patient.id}/registration` : v.noteId ? place(v) : `/patients/${v.patient.id}`}
                    className="font-semibold hover:underline"
                  >
                    {v.patient.given} {v.patient.family}
                  </Link>
                  {(v.alike ?? []).length > 0 && (
                    <span className="block text-small text-carried">
                      Not {v.alike?.join(", not ")}: both are here today, born {day(v.patient.birthDate)}
                    </span>
                  )}
                </td>
                <td>
                  {v.patient.age}, {v.patient.sex}
                </td>
                <td className="pr-4">
                  {v.reason} <span className="small">{v.kind}</span>
                </td>
                <td>{v.room || <span className="text-faded">–</span>}</td>
                <td>
                  <span className="flex items-center gap-1.5">
                    <Ring of={quarter[v.stage]} />
                    <select
                      aria-label={`Stage of ${v.patient.given} ${v.patient.family}`}
                      className="rounded-[3px] bg-transparent py-1"
                      value={v.stage}
                      disabled={v.signed}
                      onChange={(e) => move(v, e.target.value as Visit["stage"])}
                    >
                      {me.stages?.map((s) => (
                        <option key={s}>{s}</option>
                      ))}
                    </select>
                  </span>
                </td>
                <td>
                  {v.stage === "expected" || v.stage === "done" ? <span className="text-faded">–</span> : age(v.stageAt, now)}
                </td>
                <td className="max-slim:hidden">
                  {v.with ? v.with === me.name ? "me" : short(v.with) : <span className="text-faded">–</span>}
                </td>
                <td className="max-slim:hidden">{v.mine ? "me" : short(v.clinician)}</td>
                <td className="text-right">
                  {mayIntake && first === "intake" && !v.signed && (
                    <button type="button" className={i === at ? "choice" : "plain"} onClick={() => void intake(v)}>
                      Intake
                      {i === at && <KeyCap k="i" />}
                    </button>
                  )}
                  {mayStart && (first === "note" || v.signed) && (
                    <button type="button" className={i === at ? "choice" : "plain"} onClick={() => start(v)}>
                      {v.signed ? "Read the note" : v.noteId ? "Resume" : "Start the visit"}
                      {i === at && <KeyCap k="v" />}
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        )}
        {mayBook && <ToBook />}
      </div>
    </main>
  );
}
