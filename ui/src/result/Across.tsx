import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { unit } from "../kit/unit";
import { portal, Whose } from "../kit/Whose";
import { Gather } from "../printing/Gather";
import { Drawing, drawable } from "./Course";
import { Value } from "./Flags";

type Row = Schemas["AcrossRow"];
type View = Schemas["AcrossView"];

const nameWidth = 370; // with the unit and the range
const dayWidth = 92;

/** Across is all that was measured of a patient over the years: analytes down, days across, or as plots one above the other on one
 * axis; below it what is written, by year. Only the days that fit are in the page, so that ten years are as quick as one. */
export function Across() {
  const { id = "" } = useParams();
  const view = useQuery(asks.across(id));
  if (view.error) return <p className="p-8">{say(view.error)}</p>;
  if (!view.data) return <p className="small p-8">Reading the results…</p>;
  return <Sheet key={id} view={view.data} />;
}

function Sheet({ view: a }: { view: View }) {
  const go = useNavigate();
  const [typed, setTyped] = useState("");
  const words = useDeferredValue(typed.trim().toLowerCase());
  const [out, setOut] = useState(false);
  const [plots, setPlots] = useState(false);
  const [from, setFrom] = useState(0); // the newest day that is shown
  const [at, setAt] = useState<[number, number]>([0, 0]); // row and day
  const [fit, setFit] = useState(8);
  const box = useRef<HTMLDivElement>(null);
  const input = useRef<HTMLInputElement>(null);
  useLayoutEffect(() => {
    const el = box.current;
    if (!el) return;
    const measure = () => setFit(Math.max(1, Math.floor((el.clientWidth - nameWidth) / dayWidth)));
    measure();
    const seen = new ResizeObserver(measure);
    seen.observe(el);
    return () => seen.disconnect();
  }, []);
  useEffect(() => input.current?.focus(), []);
  const groups = useMemo(
    () =>
      a.groups
        .map((g) => ({
          ...g,
          rows: g.rows.filter(
            (r) =>
              (!out || r.out > 0) && words.split(" ").every((w) => `${r.name} ${g.title} ${r.loinc}`.toLowerCase().includes(w)),
          ),
        }))
        .filter((g) => g.rows.length > 0),
    [a, words, out],
  );
  const rows = groups.flatMap((g) => g.rows);
  // Only days on which something of what is shown was measured.
  const days = useMemo(() => {
    const used = new Set(groups.flatMap((g) => g.rows.flatMap((r) => r.cells.map((c) => a.reports[c.report]?.day ?? 0))));
    return [...used].sort((x, y) => x - y);
  }, [groups, a]);
  const first = Math.min(from, Math.max(0, days.length - fit));
  const shown = days.slice(first, first + fit);
  const row = Math.min(at[0], rows.length - 1);
  const column = Math.min(at[1], days.length - 1);
  const move = (dr: number, dc: number) => {
    const r = Math.max(0, Math.min(rows.length - 1, row + dr));
    const c = Math.max(0, Math.min(days.length - 1, column + dc));
    setAt([r, c]);
    if (c < first) setFrom(c);
    if (c >= first + fit) setFrom(c - fit + 1);
    requestAnimationFrame(() => document.getElementById("at-value")?.scrollIntoView({ block: "nearest" }));
  };
  const open = () => {
    const cell = rows[row]?.cells.find((c) => a.reports[c.report]?.day === days[column]);
    const report = cell && a.reports[cell.report];
    if (report) go(`/desk/report/${report.id}`);
  };
  useKeys([
    { key: "Alt+p", label: plots ? "The values as a table" : "The values as plots", run: () => setPlots((was) => !was) },
    { key: "Alt+o", label: "Only what was ever out of range", run: () => setOut((was) => !was) },
    { key: "Alt+ArrowLeft", label: "Newer days", run: () => setFrom(Math.max(0, first - fit)) },
    { key: "Alt+ArrowRight", label: "Older days", run: () => setFrom(Math.min(Math.max(0, days.length - fit), first + fit)) },
  ]);
  const written = a.reports.filter(
    (r) => r.written && words.split(" ").every((w) => `${r.title} ${r.written}`.toLowerCase().includes(w)),
  );
  return (
    <main id="page" className="flex min-h-0 flex-1 flex-col bg-leaf px-10 pt-5 max-phone:px-4">
      <Whose patient={a.patient} also={portal(a.patient)} />
      <div className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2 className="text-title-m">Results over the years</h2>
        <input
          ref={input}
          aria-label="Filter: analyte, panel or words of a report"
          placeholder="analyte, panel or words of a report"
          className="field mt-0 w-[260px] py-0.5"
          value={typed}
          onChange={(e) => {
            setTyped(e.target.value);
            setFrom(0);
            setAt([0, 0]);
          }}
          onKeyDown={(e) => {
            const step: Record<string, [number, number]> = { ArrowDown: [1, 0], ArrowUp: [-1, 0] };
            if (typed === "" || e.ctrlKey) Object.assign(step, { ArrowLeft: [0, -1], ArrowRight: [0, 1] });
            const by = step[e.key];
            if (by && !e.altKey) {
              e.preventDefault();
              move(...by);
            } else if (e.key === "Enter") open();
            else onEscape(() => setTyped(""))(e);
          }}
        />
        <Choice on={out} set={() => setOut(!out)}>
          Ever out of range <KeyCap k="Alt+O" />
        </Choice>
        <Choice on={plots} set={() => setPlots(!plots)}>
          As plots <KeyCap k="Alt+P" />
        </Choice>
        <Gather
          word={words || out ? "Gather these for printing" : "Gather all for printing"}
          reports={a.reports
            .filter(
              (r, i) =>
                (!words && !out) || rows.some((x) => x.cells.some((c) => c.report === i)) || written.some((w) => w.id === r.id),
            )
            .slice(0, 300)
            .map((r) => ({
              id: r.id,
              title: r.title,
              at: r.at,
              of: `${a.patient.given} ${a.patient.family}`,
              patient: a.patient.id,
            }))}
        />
        {!plots && days.length > shown.length && (
          <span className="small">
            {first + 1} to {first + shown.length} of {days.length} days{" "}
            <button type="button" className="plain py-0" disabled={first === 0} onClick={() => setFrom(Math.max(0, first - fit))}>
              newer <KeyCap k="Alt+ArrowLeft" />
            </button>{" "}
            <button
              type="button"
              className="plain py-0"
              disabled={first + fit >= days.length}
              onClick={() => setFrom(first + fit)}
            >
              older <KeyCap k="Alt+ArrowRight" />
            </button>
          </span>
        )}
      </div>
      <div ref={box} className="min-h-0 flex-1 overflow-auto pb-6">
        {rows.length === 0 && (
          <p className="small">
            {words || out ? "No analyte fits." : "Nothing was measured yet. Results appear here by analyte and day."}
          </p>
        )}
        {rows.length > 0 &&
          (plots ? (
            <Plots rows={rows} view={a} />
          ) : (
            <table className="border-separate border-spacing-0 text-aside" aria-label="Results by analyte and day">
              <thead className="sticky top-0 z-10 bg-leaf">
                <tr className="label">
                  <th className="border-b border-rule py-1 pr-3 text-left font-semibold" style={{ width: 220 }}>
                    Analyte
                  </th>
                  <th className="border-b border-rule py-1 pr-3 text-left font-semibold" style={{ width: 150 }}>
                    Unit, range
                  </th>
                  {shown.map((d) => (
                    <th key={d} className="border-b border-rule px-1.5 py-1 text-right font-semibold" style={{ width: dayWidth }}>
                      {a.days[d] ? day(a.days[d] ?? "") : "day not stated"}
                    </th>
                  ))}
                </tr>
              </thead>
              {groups.map((g) => (
                <tbody key={g.title}>
                  <tr>
                    <th colSpan={shown.length + 2} scope="rowgroup" className="pt-3 pb-1 text-left text-title-s font-semibold">
                      {g.title}
                    </th>
                  </tr>
                  {g.rows.map((r) => {
                    const place = rows.indexOf(r);
                    return (
                      <tr key={`${r.loinc} ${r.name} ${r.unit}`} className="align-baseline">
                        <th scope="row" className="border-b border-rule py-1 pr-3 text-left font-normal">
                          {r.name}
                        </th>
                        <td className="border-b border-rule py-1 pr-3 text-small text-faded">
                          {[unit(r.unit), r.range].filter(Boolean).join(" · ")}
                        </td>
                        {shown.map((d) => {
                          const here = place === row && d === days[column];
                          return (
                            <td
                              key={d}
                              id={here ? "at-value" : undefined}
                              className={`border-b border-rule px-1.5 py-1 text-right ${here ? "bg-kelp-wash outline-2 -outline-offset-2 outline-kelp" : ""}`}
                            >
                              {r.cells
                                .filter((c) => a.reports[c.report]?.day === d)
                                .map((c, i, all) => (
                                  <Cell
                                    key={`${c.report} ${c.text}`}
                                    cell={c}
                                    report={a.reports[c.report]}
                                    several={all.length > 1}
                                    last={i === all.length - 1}
                                  />
                                ))}
                            </td>
                          );
                        })}
                      </tr>
                    );
                  })}
                </tbody>
              ))}
            </table>
          ))}
        {written.length > 0 && <Written reports={written} />}
      </div>
    </main>
  );
}

function Cell({
  cell: c,
  report: r,
  several,
  last,
}: {
  cell: Schemas["AcrossCell"];
  report?: Schemas["AcrossReport"];
  several: boolean;
  last: boolean;
}) {
  if (!r) return null;
  const also = [c.unit, c.also, c.other && !c.unit ? "other laboratory or method" : "", c.range && `range ${c.range}`]
    .filter(Boolean)
    .join(", ");
  return (
    <Link
      to={`/desk/report/${r.id}`}
      className={`block hover:underline ${last ? "" : "mb-1"}`}
      title={[r.title, r.performer, also].filter(Boolean).join(" · ")}
    >
      <Value side={c.side} text={c.text} />
      {several && r.at.length > 10 && <span className="small"> {clock(r.at)}</span>}
      {c.unit && <span className="block text-small text-carried">{c.unit}</span>}
      {c.also && <span className="block text-small text-carried">{c.also}</span>}
      {c.other && !c.unit && <span className="block text-small text-faded">elsewhere</span>}
    </Link>
  );
}

/** Plots draws rows one above the other on one axis of time. What cannot stand on a line with the others is counted. */
function Plots({ rows, view: a }: { rows: Row[]; view: View }) {
  const drawn = rows
    .map((r) => ({
      row: r,
      points: r.cells
        .filter((c) => !c.other)
        .map((c) => drawable({ at: a.reports[c.report]?.at ?? "", text: c.text, side: c.side }))
        .filter((p) => p !== undefined)
        .reverse(),
    }))
    .filter((x) => x.points.length > 1);
  const moments = drawn.flatMap((x) => x.points.map((p) => p.t));
  const [from, to] = [Math.min(...moments), Math.max(...moments)];
  if (drawn.length === 0) return <p className="small">No analyte of these has two numbers that can stand on one line.</p>;
  return (
    <div className="max-w-[900px]">
      {drawn.map(({ row: r, points }) => (
        <figure
          key={`${r.loinc} ${r.name} ${r.unit}`}
          aria-label={`${r.name} over time`}
          className="flex items-center border-b border-rule"
        >
          <figcaption className="w-[190px] shrink-0 text-aside">
            {r.name}
            <span className="block text-small text-faded">{[unit(r.unit), r.range].filter(Boolean).join(" · ")}</span>
            {points.length < r.cells.length && (
              <span className="block text-small text-carried">{r.cells.length - points.length} not drawn</span>
            )}
          </figcaption>
          <div className="min-w-0 flex-1">
            <Drawing points={points} of={r.range} from={from} to={to} />
          </div>
        </figure>
      ))}
      <p className="flex justify-between pl-[190px] text-small text-faded">
        <span>{day(new Date(from).toISOString())}</span>
        <span>{day(new Date(to).toISOString())}</span>
      </p>
    </div>
  );
}

function Written({ reports }: { reports: Schemas["AcrossReport"][] }) {
  let year = "";
  return (
    <section aria-label="Reports in words" className="mt-8 max-w-[90ch]">
      <h2 className="mb-1 text-title-m">Reports in words</h2>
      <ul>
        {reports.map((r) => {
          const head = r.at.slice(0, 4) !== year;
          year = r.at.slice(0, 4);
          return (
            <li key={r.id} className="flex gap-x-4 border-b border-rule py-2">
              <span className="w-12 shrink-0 font-semibold">{head ? year || "–" : ""}</span>
              <span className="w-24 shrink-0 text-faded">{r.at ? day(r.at) : "not stated"}</span>
              <span className="min-w-0 flex-1">
                <Link to={`/desk/report/${r.id}`} className="font-semibold hover:underline">
                  {r.title}
                </Link>{" "}
                <span className="small">
                  {r.performer} · {r.status}, {r.signed ? "signed" : "not signed"}
                  {r.files > 0 && ` · ${r.files} attached`}
                </span>
                <span className="block font-serif text-read">{r.written}</span>
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
