import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { asks } from "../exchange/asks";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { Quality } from "./Quality";
import { Recall } from "./Recall";
import { useRun } from "./run";

/** Practice is who is due for what, over the whole practice: how each rule stands, and the people. */
export function Practice() {
  const [at, setAt] = useSearchParams();
  const rule = at.get("rule") ?? "";
  const measure = at.get("measure") ?? "";
  const measures = at.get("view") === "measures";
  const clinician = at.get("clinician") ?? "";
  const [overdue, setOverdue] = useState(false);
  const colleagues = useQuery(asks.colleagues());
  const { run, begin, wrong } = useRun();
  const look = () =>
    void begin({
      rule: rule || undefined,
      measure: measure || undefined,
      clinician: clinician || undefined,
      states: overdue ? ["overdue"] : undefined,
    });
  // biome-ignore lint/correctness/useExhaustiveDependencies: a run begins when what is looked for changes
  useEffect(look, [rule, measure, clinician, overdue]);
  const [writing, setWriting] = useState("");
  const set = (key: string, value: string) => {
    setWriting("");
    setAt(
      (was) => {
        if (key !== "clinician") for (const k of key === "view" ? ["rule", "measure"] : ["rule"]) was.delete(k);
        if (value) was.set(key, value);
        else was.delete(key);
        return was;
      },
      { replace: true },
    );
  };
  const mayWrite = useRight("remind patients by mail") && !measures;
  const write = () => run?.ended && run.rows.length > 0 && setWriting(run.id);
  useKeys([
    { key: "y", label: "Look again", run: look },
    { key: "m", label: measures ? "Reminders" : "Measures of quality", run: () => set("view", measures ? "" : "measures") },
    ...(mayWrite ? [{ key: "w", label: "Write to them", run: write }] : []),
  ]);
  const counts = [...(run?.counts ?? [])].sort((a, b) => b.due + b.overdue - a.due - a.overdue);
  const one = counts.find((c) => c.rule === rule);
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-8 py-5 max-wide:flex-none max-wide:overflow-visible max-phone:px-4"
      >
        <header className="mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1">
          <h1 className="text-page">Who is due</h1>
          <fieldset aria-label="What is counted" className="flex gap-x-1.5">
            <Choice on={!measures} set={() => set("view", "")}>
              Reminders
            </Choice>
            <Choice on={measures} set={() => set("view", "measures")}>
              Measures of quality <KeyCap k="m" />
            </Choice>
          </fieldset>
          <label className="small">
            Of{" "}
            <select className="field w-auto" value={clinician} onChange={(e) => set("clinician", e.target.value)}>
              <option value="">everybody</option>
              {colleagues.data?.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
          {!measures && (
            <label className="small">
              <input type="checkbox" checked={overdue} onChange={(e) => setOverdue(e.target.checked)} /> overdue only
            </label>
          )}
          {rule && (
            <button type="button" className="plain" onClick={() => set("rule", "")}>
              All rules
            </button>
          )}
          <button type="button" className="plain ml-auto" onClick={look}>
            Look again <KeyCap k="y" />
          </button>
        </header>
        <Wrong says={wrong || run?.failed || ""} />
        {run && !run.ended && (
          <p role="status" className="mb-3">
            Looking at every chart: {run.done} of {run.of || "…"}
            <progress className="ml-3 align-middle" max={run.of || 1} value={run.done} />
          </p>
        )}
        {run?.ended && (
          <div
            className={`grid ${writing || (measures && !measure) ? "grid-cols-1 gap-y-6" : "grid-cols-[minmax(420px,1fr)_minmax(420px,1.2fr)] gap-x-10"} max-wide:grid-cols-1`}
          >
            {measures ? (
              <Quality measures={run.measures} chosen={measure} choose={(id) => set("measure", id)} />
            ) : (
              <section aria-label="Rules">
                <h2 className="text-title">{rule ? one?.title : "How each rule stands"}</h2>
                <p className="small mb-2">
                  {run.done} charts in {(run.millis / 1000).toFixed(1)} s. Concerned are all but those to whom it does not apply.
                  {run.left > 0 && ` ${run.left} who no longer come are left out.`}
                </p>
                <Table
                  columns={[
                    { word: "Rule" },
                    { word: "Concerned", className: "pl-4 text-right" },
                    { word: "Due", className: "pl-4 text-right" },
                    { word: "In hand", className: "pl-4 text-right" },
                    { word: "Satisfied", className: "pl-4 text-right" },
                    { word: "Aside", className: "pl-4 text-right" },
                    { word: "Not known", className: "pl-4 text-right" },
                  ]}
                >
                  {counts.map((c) => (
                    <tr key={c.rule} className="border-b border-rule tabular-nums">
                      <td className="py-1">
                        <button type="button" className="text-left hover:underline" onClick={() => set("rule", c.rule)}>
                          {c.title}
                        </button>
                        {c.failed > 0 && <span className="block text-small text-alarm">could not be computed in {c.failed}</span>}
                      </td>
                      <td className="pl-4 text-right">{c.concerned}</td>
                      <td className="pl-4 text-right font-semibold">{c.due + c.overdue}</td>
                      <td className="pl-4 text-right">{c.inHand}</td>
                      <td className="pl-4 text-right">{c.holds}</td>
                      <td className="pl-4 text-right">{c.aside}</td>
                      <td className="pl-4 text-right">{c.notKnown}</td>
                    </tr>
                  ))}
                </Table>
              </section>
            )}
            {measures && !measure ? (
              <p className="small max-w-[60ch]">
                Choose a measure to see in whom it is missed, ordered or not known, each with the reason.
              </p>
            ) : (
              <section aria-label="People">
                <header className="flex flex-wrap items-baseline gap-x-4">
                  <h2 className="text-title">
                    {run.rows.length + run.more} {run.rows.length + run.more === 1 ? "person" : "people"}
                    {measure && " in whom it is missed, ordered or not known"}
                  </h2>
                  {mayWrite && run.rows.length > 0 && (
                    <button type="button" className="plain" onClick={write}>
                      Write to them <KeyCap k="w" />
                    </button>
                  )}
                  <a className="plain" href={`/api/practice/runs/${run.id}/csv`} download="recall.csv">
                    Recall list (CSV)
                  </a>
                </header>
                <p className="small mb-2">
                  {run.more > 0 ? `The first ${run.rows.length} by name; choose a rule or a clinician for fewer.` : "By name."}
                </p>
                <ul>
                  {run.rows.map((r) => (
                    <li
                      key={r.patient.id}
                      className="border-b border-rule py-1.5 [content-visibility:auto] [contain-intrinsic-size:auto_44px]"
                    >
                      <Link className="font-semibold hover:underline" to={`/patients/${r.patient.id}/round`}>
                        {r.patient.family}, {r.patient.given}
                      </Link>{" "}
                      <span className="small">
                        {r.patient.age}, {r.patient.phone || "no telephone"}
                        {r.clinician && `, ${r.clinician}`}
                      </span>
                      <span className="block text-small">
                        {measure && r.due[0] && `${r.due[0].state}: ${r.due[0].says}`}
                        {(measure ? [] : r.due)
                          .slice(0, 6)
                          .map(
                            (d) =>
                              `${d.title}${d.state === "overdue" && d.since ? ` since ${day(d.since)}` : d.state === "not known" ? " (not known)" : ""}`,
                          )
                          .join("; ")}
                        {!measure && r.due.length > 6 && `; ${r.due.length - 6} more`}
                      </span>
                    </li>
                  ))}
                </ul>
              </section>
            )}
          </div>
        )}
      </main>
      {writing && writing === run?.id && <Recall key={writing} run={writing} leave={() => setWriting("")} />}
    </div>
  );
}
