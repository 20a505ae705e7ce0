import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";

const legs = ["collected", "received", "signed", "told", "the whole way"];
const periods = [30, 90, 365, 3650];
const said: Record<number, string> = { 30: "a month", 90: "three months", 365: "a year", 3650: "ten years" };

/** took says how long something took, as coarsely as it helps. */
function took(seconds: number) {
  if (seconds < 90) return `${seconds} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  if (seconds < 48 * 3600) return `${(seconds / 3600).toFixed(1)} h`;
  return `${(seconds / 86400).toFixed(1)} d`;
}

/** Loop is how what was ordered came home: how long each part of the way took, what is slowest, what has no answer, and what is
 * lost, which must be nothing. */
export function Loop() {
  const [days, setDays] = useState(90);
  const [by, setBy] = useState<"byClinician" | "byTest">("byClinician");
  const loop = useQuery(asks.loop(days));
  const v = loop.data;
  useKeys([
    ...periods.map((n, i) => ({ key: String(i + 1), label: `Ordered within ${said[n]}`, run: () => setDays(n) })),
    { key: "c", label: "By clinician, or by test", run: () => setBy(by === "byTest" ? "byClinician" : "byTest") },
  ]);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">How results came home</h1>
      <p className="mt-2 mb-3 flex flex-wrap items-baseline gap-2">
        {periods.map((n) => (
          <Choice key={n} on={days === n} set={() => setDays(n)}>
            {said[n]}
          </Choice>
        ))}
        <span className="ml-4" />
        <Choice on={by === "byClinician"} set={() => setBy("byClinician")}>
          By clinician
        </Choice>
        <Choice on={by === "byTest"} set={() => setBy("byTest")}>
          By test
        </Choice>
      </p>
      {loop.error && <Wrong says={say(loop.error)} />}
      {v && (
        <>
          <p className={`mb-3 ${v.lostOf > 0 ? "margin-note border-alarm font-semibold text-alarm" : "text-settled"}`}>
            {v.lostOf === 0
              ? `None of ${v.all.ordered} tests is lost: each was told, is cancelled with a reason, or is on somebody's desk.`
              : `${v.lostOf} of ${v.all.ordered} tests are lost: nobody told the patient, nobody cancelled them, and they are on nobody's desk.`}
          </p>
          <Table
            className="max-w-[1100px] text-aside"
            columns={[
              { word: by === "byTest" ? "Test" : "Clinician" },
              { word: "Tests", className: "pl-4 text-right" },
              { word: "Told", className: "pl-4 text-right" },
              { word: "Open", className: "pl-4 text-right" },
              { word: "Cancelled", className: "pl-4 text-right" },
              ...legs.map((w, i) => ({ id: w, word: i === 4 ? w : `to ${w}`, className: "pl-4 text-right" })),
            ]}
          >
            {[v.all, ...v[by]].map((r, i) => (
              <tr key={r.name} className={`border-b border-rule align-baseline ${i === 0 ? "font-semibold" : ""}`}>
                <th scope="row" className="py-1.5 text-left font-[inherit]">
                  {r.name}
                </th>
                <td className="pl-4 text-right">{r.ordered}</td>
                <td className="pl-4 text-right">{r.told}</td>
                <td className="pl-4 text-right">{r.open}</td>
                <td className="pl-4 text-right">{r.cancelled}</td>
                {r.legs.map((l, k) => (
                  <td key={legs[k]} className="pl-4 text-right whitespace-nowrap" title={`of ${l.n} tests`}>
                    {l.n === 0 ? <span className="text-faded">not known</span> : took(l.median)}
                    {l.n > 0 && <span className="block text-small font-normal text-faded">9 of 10: {took(l.p90)}</span>}
                  </td>
                ))}
              </tr>
            ))}
          </Table>
          <p className="small mt-1">The middle one of all, and below it what nine of ten did not exceed.</p>
          <Tests title="Lost" of={v.lost} all={v.lostOf} />
          <Tests title="Without any answer" of={v.unanswered} all={v.unansweredOf} />
          <Tests title="Open longest" of={v.slowest} all={v.slowestOf} />
        </>
      )}
    </main>
  );
}

function Tests({ title, of, all }: { title: string; of: Schemas["LoopTest"][]; all: number }) {
  if (of.length === 0) return null;
  return (
    <section aria-label={title} className="mt-6 max-w-[1100px]">
      <h2 className="mb-1 text-title-m">
        {title} <span className="small font-sans">{of.length < all ? `${of.length} of ${all}` : all}</span>
      </h2>
      <Table
        className="text-aside"
        columns={[
          { word: "Ordered" },
          { word: "Patient" },
          { word: "Test" },
          { word: "Stands" },
          { word: "With" },
          { word: "Days", className: "text-right" },
        ]}
      >
        {of.map((t) => (
          <tr key={t.order + t.test + t.report} className="border-b border-rule">
            <td className="py-1.5">{day(t.ordered)}</td>
            <td>{t.patient}</td>
            <td>
              <Link
                className="font-semibold hover:underline"
                to={t.report ? `/desk/report/${t.report}` : `/desk/order/${t.order}`}
              >
                {t.test}
              </Link>
            </td>
            <td>{t.stage}</td>
            <td>{t.with || "whoever may"}</td>
            <td className="text-right">{t.days}</td>
          </tr>
        ))}
      </Table>
    </section>
  );
}
