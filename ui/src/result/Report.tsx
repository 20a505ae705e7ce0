import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { unit } from "../chart/Spine";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day, shortDay } from "../frame/time";
import { Care } from "../kit/Care";
import { Why } from "../kit/Form";
import { numbered } from "../kit/numbered";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/session";
import { useSigning } from "../sign/useSigning";
import { Beside } from "./Beside";
import { Change } from "./Change";
import { Value } from "./Flags";

const ways = [
  ["portal", "Message through the portal", "Alt+p"],
  ["telephone", "By telephone", "Alt+t"],
  ["in person", "In person", "Alt+i"],
  ["letter", "By letter", "Alt+e"],
  ["not told", "Not told, because…", "Alt+n"],
] as const;

/** Report is one result on the page, with its review in the margin. */
export function Report({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const { today } = useMe();
  const maySign = useRight("sign a result");
  const opened = useRef(false);
  const report = useQuery({
    queryKey: ["report", id],
    queryFn: () => {
      const refresh = opened.current;
      opened.current = true;
      return got(api.GET("/api/reports/{id}", { params: { path: { id } }, headers: refresh ? { "X-Refresh": "1" } : {} }));
    },
  });
  const [comment, setComment] = useState("");
  const [told, setTold] = useState("");
  const [reason, setReason] = useState("");
  const [whys, setWhys] = useState(false);
  const [error, setError] = useState("");
  const seen = useRef({ issue: 0, version: 0 });
  const { sign, dialog, busy } = useSigning();
  const box = useRef<HTMLTextAreaElement>(null);
  const r = report.data;
  const loaded = r?.id;
  useEffect(() => {
    if (loaded) box.current?.focus();
  }, [loaded]);
  useEffect(() => {
    if (!r) return;
    if (seen.current.version && seen.current.version !== r.version && !r.signed)
      setError("This report has changed since you opened it. Read it again before signing.");
    seen.current = { issue: r.issue, version: r.version };
  }, [r]);
  const mayMatch = useRight("say whose a result is");
  const [leaving, setLeaving] = useState(false);
  const final = !!r && !r.waits;
  const open = !!r && !r.signed && !r.gone && maySign;
  async function signReport() {
    if (!r || !open) return;
    setError("");
    if (!told) {
      setError("Say how the patient was told, or why not.");
      return;
    }
    await sign({
      title: "Sign the result",
      lines: [`${r.patient.given} ${r.patient.family}`, `${r.title}, ${r.status}`],
      act: (secret) =>
        got(
          api.POST("/api/reports/{id}/sign", {
            params: { path: { id } },
            body: { comment, told, toldReason: reason, issue: r.issue, version: r.version, secret },
          }),
        ),
      done: () => {
        void client.invalidateQueries({ queryKey: ["desk"] });
        void client.invalidateQueries({ queryKey: ["report", id] });
        go(next);
      },
      failed: (e) => {
        setError(say(e));
        void report.refetch();
      },
    });
  }
  useKeys(
    open && final
      ? [
          { key: "Ctrl+Enter", label: "Sign and open the next", run: () => void signReport() },
          ...ways
            .filter(([w]) => w !== "portal" || r.patient.usesPortal)
            .map(([w, word, key]) => ({ key, label: word, run: () => setTold(w) })),
        ]
      : [],
  );
  useKeys(
    r?.values.some((v) => v.change) ? [{ key: "Alt+h", label: "Why a change is one", run: () => setWhys((was) => !was) }] : [],
  );
  if (report.error) return <p className="p-8">{say(report.error)}</p>;
  if (!r) return <main id="page" className="flex-1 bg-leaf" />;
  const values = r.values ?? [];
  const dates = [...new Set(values.flatMap((v) => (v.earlier ?? []).map((e) => e.at.slice(0, 10))))].sort().reverse().slice(0, 2);
  const changes = values.some((v) => v.change);
  const disagree = values.filter((v) => v.disagree);
  const judged = values.filter((v) => v.live && v.reading !== "not judged");
  const flagged = judged.filter((v) => v.flag);
  const done = [
    ...new Set(
      values
        .map((v) => [v.details.performer, v.details.address, v.details.director].filter(Boolean).join(", "))
        .filter((x) => x !== "" && x !== r.performer),
    ),
  ];
  const facts: [string, string | undefined][] = [
    [
      "Specimen",
      (r.details.specimens ?? [])
        .map((s) => s.type)
        .filter(Boolean)
        .join(", "),
    ],
    ["About", r.details.parent],
    ["Asked because of", r.details.reason],
    ["The laboratory's number", r.filler.includes(":") ? "" : r.filler],
    ["Numbers of the patient", r.details.records?.join(", ")],
    ["Said of the patient", r.details.patientNotes],
    ["Said of the whole message", r.details.messageNotes],
    ["Done by", done.join("; ")],
  ];
  const refused = (r.details.specimens ?? []).flatMap((s) => [
    ...(s.refused ? [`Specimen refused: ${s.refused}.`] : []),
    ...(s.condition ? [`Condition of the specimen: ${s.condition}.`] : []),
  ]);
  // What stood there before, and of what is around it only what is different now.
  const before = (v: Schemas["ValueView"], w: Schemas["BeforeView"]) => {
    if (w.new) return "Was not there before.";
    const changed = (word: string, was: string, is: string) => (was === is ? [] : [`${word} ${was || "none"}`]);
    const value = `${w.text || "no value"} ${unit(w.unit)}`.trim();
    const around = [
      ...changed("range", w.range, v.range),
      ...changed("flag", w.flag, v.flag),
      ...changed("status", w.status || "final", v.status || "final"),
      ...changed("note", w.notes, v.notes),
    ];
    return `Before: ${[value, ...around].join("; ")}`;
  };
  return (
    <>
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf max-wide:flex-none max-wide:overflow-visible px-6 py-4"
      >
        <div className="mb-3 flex flex-wrap items-baseline gap-x-3">
          <h1 className="text-page">
            <Link to={`/patients/${r.patient.id}`} className="hover:underline">
              {r.patient.given} {r.patient.family}
            </Link>
          </h1>
          <span className="small">
            {r.patient.age}, {r.patient.sex}, b. {day(r.patient.birthDate)} ·{" "}
            <span className="font-mono">{r.patient.record}</span>
            {r.patient.usesPortal ? " · uses the portal" : " · no portal"}
          </span>
        </div>
        <div className="mb-1 flex flex-wrap items-baseline gap-x-3">
          <h2 className="text-title">{r.title}</h2>
          <span className="small">
            {r.performer || "performer not named"}
            {r.phone && `, ${r.phone}`} ·{" "}
            {r.collectedAt ? (
              <>
                collected {shortDay(r.collectedAt, today)} {clock(r.collectedAt)}
              </>
            ) : r.details.collectedSaid ? (
              <span className="text-carried">time of collection cannot be read: “{r.details.collectedSaid}”</span>
            ) : (
              <span className="text-carried">time of collection not stated</span>
            )}{" "}
            · <b className={r.status === "final" ? "" : "text-carried"}>{r.status}</b>
            {r.order && ` · ordered ${shortDay(r.order.signedAt, today)} by ${r.order.clinician}`}
            {r.matchedBy && ` · attached by ${r.matchedBy}`}
            {r.matchedWhy && `. ${r.matchedWhy}`}
          </span>
        </div>
        {r.gone && (
          <p className="margin-note my-2 border-alarm font-semibold">
            This report has left this chart, because it does not belong here. It waits among those that are not certain, or is in
            the chart it was given to since.
          </p>
        )}
        {refused.length > 0 && <p className="margin-note my-2 border-carried font-semibold">{refused.join(" ")}</p>}
        {r.details.reused && (
          <p className="margin-note my-2 border-carried">
            The laboratory has used its number <span className="font-mono">{r.filler}</span> before, for another report. This one
            stands by itself.
          </p>
        )}
        {(r.late ?? []).map((at) => (
          <p key={at} className="margin-note my-2 border-carried">
            On {shortDay(at, today)}, {clock(at)} an issue came that is older than this one by its own time. It is kept, and has
            replaced nothing.
          </p>
        ))}
        {r.reopened && (
          <p className="margin-note my-2 border-carried">
            An earlier issue of this report was signed. The laboratory has sent another since: read it again.
          </p>
        )}
        {(r.wasStatus || r.wasNotes || (r.removed ?? []).length > 0) && (
          <p className="margin-note my-2 border-carried whitespace-pre-wrap">
            {r.wasStatus && `It was ${r.wasStatus} before. `}
            {r.wasNotes && `Its notes were: ${r.wasNotes} `}
            {(r.removed ?? []).map((v) => `No longer in it: ${v.name} ${v.text} ${unit(v.unit)} ${v.flag}`.trim()).join(". ")}
          </p>
        )}
        {!final && (
          <p className="margin-note my-2 border-carried">
            <span className="capitalize">{r.status}</span>: it waits for the final report and cannot be closed yet.
          </p>
        )}
        <div className="relative overflow-x-auto">
          <Table
            className="text-aside"
            columns={[
              { word: "Analyte" },
              { word: "Result", className: "pl-3 text-right" },
              { word: "Range", className: "pl-5 text-right" },
              ...dates.map((d) => ({ id: d, word: day(d), className: "pl-5 text-right whitespace-nowrap" })),
              ...(changes ? [{ word: "Change", className: "pl-5 text-right" }] : []),
            ]}
          >
            {numbered(values).map(({ it: v, place }) => (
              <tr key={place} className="h-[30px] border-b border-rule text-right align-baseline">
                <th scope="row" className="py-1 text-left font-normal">
                  {v.name}
                  {v.details.subId && <span className="text-faded"> {v.details.subId}</span>}
                  {v.status && <span className="block text-small text-carried">{v.status}</span>}
                  {v.before && <span className="block text-small whitespace-pre-wrap text-carried">{before(v, v.before)}</span>}
                  {v.disagree && (
                    <span className="block text-small text-carried">
                      We read this value as {v.reading === "in range" ? "in range" : `${v.reading} range`}; the laboratory's flag
                      says otherwise.
                    </span>
                  )}
                  {v.trend && <span className="small block">{v.trend}</span>}
                  {v.notes && <span className="small block whitespace-pre-wrap">{v.notes}</span>}
                  {v.details.method && <span className="small block">{v.details.method}</span>}
                </th>
                <td
                  className={`pl-3 ${v.text.length > 24 ? "whitespace-pre-wrap" : "whitespace-nowrap"} ${v.live ? "" : "text-faded line-through"}`}
                >
                  <Value side={v.side} text={v.text || "no value"} unit={unit(v.unit)} flag={v.flag} />
                </td>
                <td className="pl-5 whitespace-nowrap text-faded">
                  {v.range}
                  {v.live && v.reading === "not judged" && <span className="block text-small">not judged</span>}
                </td>
                {dates.map((d) => {
                  const e = v.earlier?.find((x) => x.at.slice(0, 10) === d);
                  return (
                    <td key={d} className="pl-5 whitespace-nowrap">
                      {e && (
                        <>
                          <Value side={e.side.replace("critical ", "")} text={e.text} />
                          {e.unit !== v.unit && <span className="text-faded"> {unit(e.unit)}</span>}
                          {e.converted && <span className="small block">is {e.converted} in this unit</span>}
                          {e.other && <span className="small block">{e.other}</span>}
                        </>
                      )}
                    </td>
                  );
                })}
                {changes && (
                  <td className="pl-5 whitespace-nowrap">
                    <Change of={v.change} />
                  </td>
                )}
              </tr>
            ))}
          </Table>
        </div>
        {changes && (
          <p className="small mt-2">
            <button type="button" className="plain px-0 py-0" aria-expanded={whys} onClick={() => setWhys(!whys)}>
              Why a change is one <KeyCap k="Alt+h" />
            </button>
          </p>
        )}
        {changes && whys && (
          <dl aria-label="Why a change is one" className="small mt-1">
            {numbered(values).map(
              ({ it: v, place }) =>
                v.change && (
                  <div key={place} className="flex gap-2">
                    <dt className="w-[150px] shrink-0 text-ink">{v.name}</dt>
                    <dd>
                      {v.change.percent} against {day(v.change.against)}: {v.change.why}
                    </dd>
                  </div>
                ),
            )}
          </dl>
        )}
        {r.care.length > 0 && (
          <section aria-label="What it means for the medicines" className="mt-3 text-aside">
            <h3 className="label">For the medicines on the list</h3>
            <Care warnings={r.care} named />
          </section>
        )}
        {r.details.paper && (
          <p className="mt-3">
            <a className="plain py-0" href={`/api/documents/${r.details.paper}`} target="_blank" rel="noreferrer">
              The paper it was typed from
            </a>
          </p>
        )}
        {r.notes && <p className="mt-3 font-serif text-read whitespace-pre-wrap">{r.notes}</p>}
        {values.length === 0 && <p className="mt-3">No value came with it.</p>}
        {values.length > 0 && (
          <p className="small mt-4">
            {judged.length === 0
              ? "No value was judged by us: there is no number, or no range to read it against."
              : judged.length < values.length
                ? `We could read ${judged.length} of ${values.length} values against the range that came; the others are not judged.`
                : ""}{" "}
            {flagged.length > 0 &&
              disagree.length === 0 &&
              `The laboratory's ${flagged.length === 1 ? "flag and our reading of its range agree" : `flags and our reading of its ranges agree in ${flagged.length === values.length ? `all ${values.length} values` : `${flagged.length} values`}`}.`}
          </p>
        )}
        <dl className="small mt-4">
          {facts.map(
            ([word, text]) =>
              text && (
                <div key={word} className="flex gap-2">
                  <dt className="shrink-0">{word}:</dt>
                  <dd className="whitespace-pre-wrap text-ink">{text}</dd>
                </div>
              ),
          )}
        </dl>
        {(r.reviews ?? []).map((v) => (
          <div key={v.issue} className="mt-4 border-t border-rule pt-2">
            <p className="font-serif text-read">{v.comment || "No comment."}</p>
            <p className="small">
              Signed by {v.by}, {day(v.at)}, {clock(v.at)} · issue {v.issue} · {v.told}
              {v.toldReason && `: ${v.toldReason}`} · folio {v.folio}
            </p>
          </div>
        ))}
      </main>
      <aside
        aria-label="Review"
        className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full max-wide:border-l-0"
      >
        {open && final ? (
          <>
            <label className="label block">
              In the chart
              <textarea
                ref={box}
                rows={5}
                className="box mt-1 border-kelp font-serif text-title-s text-ink"
                value={comment}
                onChange={(e) => setComment(e.target.value)}
              />
            </label>
            <fieldset className="mt-4">
              <legend className="label mb-1">How the patient is told</legend>
              {ways.map(([w, word, key]) =>
                w === "portal" && !r.patient.usesPortal ? (
                  <p key={w} className="small py-1">
                    {r.patient.given} does not use the portal.
                  </p>
                ) : (
                  <label key={w} className="flex items-center gap-2 py-1">
                    <input
                      type="radio"
                      name="told"
                      className="size-4 accent-kelp"
                      checked={told === w}
                      onChange={() => setTold(w)}
                    />
                    <span className="flex-1">{word}</span>
                    <KeyCap k={key.replace(/[a-z]$/, (x) => x.toUpperCase())} />
                  </label>
                ),
              )}
            </fieldset>
            {told === "not told" && (
              <label className="label mt-2 block">
                Why not
                <input className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
              </label>
            )}
            <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
            <button type="button" className="act" disabled={busy} onClick={() => void signReport()}>
              Sign and next <KeyCap k="Ctrl+Enter" />
            </button>
          </>
        ) : (
          <p className="small">
            {r.signed
              ? "Signed and closed."
              : !final
                ? "Nothing to sign yet: the final report closes this line."
                : r.gone
                  ? "Nothing to sign here."
                  : `${r.owner} answers for this line; a physician closes it.`}
          </p>
        )}
        <Beside of={r.beside} unread={r.unread} />
        {mayMatch && r.fromLab && !r.gone && (
          <div className="mt-8 border-t border-rule pt-3">
            {leaving ? (
              <Why
                label="Why it is not this patient's"
                says="Why it is not this patient's"
                word="Take it out of this chart"
                act={async (reason) => {
                  try {
                    await got(api.POST("/api/reports/{id}/detach", { params: { path: { id } }, body: { reason } }));
                    await client.invalidateQueries();
                    go(next);
                  } catch (e) {
                    setError(say(e));
                  }
                }}
                leave={() => setLeaving(false)}
              />
            ) : (
              <button type="button" className="plain" onClick={() => setLeaving(true)}>
                Not this patient's…
              </button>
            )}
            {!(open && final) && <Wrong says={error} className="mt-2 text-aside" />}
          </div>
        )}
      </aside>
      {dialog}
    </>
  );
}
