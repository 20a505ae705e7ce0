import { Fragment } from "react";
import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { clock, day, shortDay } from "../frame/time";
import { Care } from "../kit/Care";
import { numbered } from "../kit/numbered";
import { Table } from "../kit/Table";
import { unit } from "../kit/unit";
import { useMe } from "../session/me";
import { AddTo } from "./AddTo";
import { Change } from "./Change";
import { Course } from "./Course";
import { Cultures } from "./Cultures";
import { Files } from "./Files";
import { Value } from "./Flags";
import { Text } from "./Text";

/** Medicines is what values mean for the medicines on the list. */
export function Medicines({ care }: { care: Schemas["ReportView"]["care"] }) {
  return (
    <section aria-label="What it means for the medicines" className="mt-3 text-aside">
      <h3 className="label">For the medicines on the list</h3>
      <Care warnings={care} named />
    </section>
  );
}

/** ReportBody is one report as it reads: its values with range, earlier ones and change, what came with it, and who signed it. The
 * value at the cursor is drawn over time below it. */
export function ReportBody({
  report: r,
  whys,
  setWhys,
  place,
  cursor,
  setCursor,
}: {
  report: Schemas["ReportView"];
  whys: boolean;
  setWhys?: () => void;
  place?: number;
  cursor?: number;
  setCursor?: (row: number) => void;
}) {
  const { today } = useMe();
  const final = !r.waits;
  const values = r.values;
  const inTable = numbered(values).filter(({ place }) => r.laid.rows.includes(place));
  const tabled = inTable.map(({ it }) => it);
  const dates = [...new Set(tabled.flatMap((v) => (v.earlier ?? []).map((e) => e.at.slice(0, 10))))].sort().reverse().slice(0, 2);
  const changes = tabled.some((v) => v.change);
  const disagree = tabled.filter((v) => v.disagree);
  const judged = tabled.filter((v) => v.live && v.reading !== "not judged");
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
  const toldBefore = [
    ...r.reviews.filter((v) => v.issue < r.issue).map((v) => `${v.by} signed it on ${day(v.at)}, the patient: ${v.told}`),
    ...r.contacts.filter((c) => c.says.startsWith("contact ")).map((c) => `${c.says.slice(8)}, ${day(c.at)}`),
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
  const columns = [
    { word: "Analyte" },
    { word: "Result", className: "pl-3 text-right" },
    { word: "Range", className: "pl-5 text-right" },
    ...dates.map((d) => ({ id: d, word: shortDay(d, today), className: "pl-5 text-right whitespace-nowrap" })),
    ...(changes ? [{ word: "Change", className: "pl-5 text-right" }] : []),
  ];
  return (
    <>
      <div className="mb-1 flex flex-wrap items-baseline gap-x-3">
        <h2 className="text-title">
          {place !== undefined && <span className="mr-2 font-mono text-small text-faded">{place}</span>}
          {r.title}
        </h2>
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
          {toldBefore.length > 0 && <span className="block">Who knows the former value: {toldBefore.join("; ")}.</span>}
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
      {numbered(r.laid.first).map(({ it: s, place }) => (
        <Text key={place} section={s} of={r.status} first />
      ))}
      {inTable.length > 0 && (
        <div className="relative overflow-x-auto">
          <Table className="text-aside" columns={columns}>
            {inTable.map(({ it: v, place: row }) => (
              <Fragment key={row}>
                <tr className={`h-[30px] border-b border-rule text-right align-baseline ${cursor === row ? "bg-kelp-wash" : ""}`}>
                  <th scope="row" className="py-1 text-left font-normal">
                    {setCursor ? (
                      <button
                        type="button"
                        className="text-left hover:underline"
                        aria-expanded={cursor === row}
                        onClick={() => setCursor(row)}
                      >
                        {v.name}
                      </button>
                    ) : (
                      v.name
                    )}
                    {v.details.subId && <span className="text-faded"> {v.details.subId}</span>}
                    {v.status && <span className="block text-small text-carried">{v.status}</span>}
                    {v.before && <span className="block text-small whitespace-pre-wrap text-carried">{before(v, v.before)}</span>}
                    {v.disagree && (
                      <span className="block text-small text-carried">
                        We read this value as {v.reading === "in range" ? "in range" : `${v.reading} range`}; the laboratory's
                        flag says otherwise.
                      </span>
                    )}
                    {v.details.limit && <span className="block text-small text-alarm">{v.details.limit}</span>}
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
                {cursor === row && (
                  <tr>
                    <td colSpan={columns.length}>
                      <Course value={v} at={r.collectedAt} />
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </Table>
        </div>
      )}
      <Cultures cultures={r.laid.cultures} values={values} before={before} />
      {numbered(r.laid.sections).map(({ it: s, place }) => (
        <Text key={place} section={s} of={r.status} />
      ))}
      {numbered(r.laid.gone).map(({ it: s, place }) => (
        <Text key={place} section={{ ...s, differs: true, was: s.text, text: "" }} />
      ))}
      <Files report={r.id} files={r.laid.files} />
      {changes && setWhys && (
        <p className="small mt-2">
          <button type="button" className="plain px-0 py-0" aria-expanded={whys} onClick={setWhys}>
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
      {r.care.length > 0 && <Medicines care={r.care} />}
      {r.details.paper && (
        <p className="mt-3">
          <a className="plain py-0" href={`/api/documents/${r.details.paper}`} target="_blank" rel="noreferrer">
            The paper it was typed from
          </a>
        </p>
      )}
      {r.notes && <p className="mt-3 font-serif text-read whitespace-pre-wrap">{r.notes}</p>}
      {values.length === 0 && <p className="mt-3">No value came with it.</p>}
      {inTable.length > 0 && (
        <p className="small mt-4">
          {judged.length === 0
            ? "No value was judged by us: there is no number, or no range to read it against."
            : judged.length < inTable.length
              ? `We could read ${judged.length} of ${inTable.length} values against the range that came; the others are not judged.`
              : ""}{" "}
          {flagged.length > 0 &&
            disagree.length === 0 &&
            `The laboratory's ${flagged.length === 1 ? "flag and our reading of its range agree" : `flags and our reading of its ranges agree in ${flagged.length === inTable.length ? `all ${inTable.length} values` : `${flagged.length} values`}`}.`}
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
          {v.addenda.map((a) => (
            <div key={a.folio} className="mt-2 border-l-2 border-rule pl-3">
              <p className="font-serif text-read">{a.says}</p>
              <p className="small">
                Added by {a.by}, {day(a.at)}, {clock(a.at)} · folio {a.folio}
              </p>
            </div>
          ))}
          <AddTo report={r.id} issue={v.issue} />
        </div>
      ))}
      {(r.copies ?? []).map((c) => (
        <p key={c.id} className="small mt-2">
          {c.state === "read" ? (
            <>
              {c.readBy} read a copy, {day(c.readAt)}, {clock(c.readAt)}
              {c.says && `: “${c.says}”`}
            </>
          ) : (
            `${c.to} has a copy, and has not read it yet.`
          )}
        </p>
      ))}
      {r.details.orderer && !r.order && <p className="small mt-2">Ordered elsewhere, by {r.details.orderer}.</p>}
      {(r.details.copies ?? []).length > 0 && <p className="small mt-2">Copies went to {r.details.copies?.join(", ")}.</p>}
    </>
  );
}
