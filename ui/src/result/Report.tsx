import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { unit } from "../chart/Spine";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day, shortDay } from "../frame/time";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/session";
import { useSigning } from "../sign/useSigning";
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
  const final = r?.status === "final" || r?.status === "corrected" || r?.status === "cannot be done";
  const open = !!r && !r.signed && maySign;
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
  if (report.error) return <p className="p-8">{say(report.error)}</p>;
  if (!r) return <main id="page" className="flex-1 bg-leaf" />;
  const values = r.values ?? [];
  const dates = [...new Set(values.flatMap((v) => (v.earlier ?? []).map((e) => e.at.slice(0, 10))))].sort().reverse().slice(0, 2);
  const disagree = values.filter((v) => v.disagree);
  const readable = values.filter((v) => v.reading !== "unread");
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
            {r.phone && `, ${r.phone}`} · collected {shortDay(r.collectedAt)} {clock(r.collectedAt)} ·{" "}
            <b className={r.status === "final" ? "" : "text-carried"}>{r.status}</b>
            {r.order && ` · ordered ${shortDay(r.order.signedAt)} by ${r.order.clinician}`}
            {r.matchedBy && ` · attached by ${r.matchedBy}`}
          </span>
        </div>
        {r.reopened && (
          <p className="margin-note my-2 border-carried">
            An earlier issue of this report was signed. The laboratory has sent another since: read it again.
          </p>
        )}
        {!final && (
          <p className="margin-note my-2 border-carried">Preliminary: it waits for the final report and cannot be closed yet.</p>
        )}
        <div className="overflow-x-auto">
          <Table
            className="text-aside"
            columns={[
              { word: "Analyte" },
              { word: "Result", className: "pl-3 text-right" },
              { word: "Range", className: "pl-5 text-right" },
              ...dates.map((d) => ({ id: d, word: day(d), className: "pl-5 text-right whitespace-nowrap" })),
            ]}
          >
            {values.map((v) => (
              <tr key={v.code + v.name} className="h-[30px] border-b border-rule text-right align-baseline">
                <th scope="row" className="py-1 text-left font-normal">
                  {v.name}
                  {v.disagree && (
                    <span className="block text-small text-carried">
                      We read this value as {v.reading === "in range" ? "in range" : `${v.reading} range`}; the laboratory's flag
                      says otherwise.
                    </span>
                  )}
                  {v.notes && <span className="small block whitespace-pre-wrap">{v.notes}</span>}
                </th>
                <td className="pl-3 whitespace-pre-wrap">
                  <Value side={v.side} text={v.text} unit={unit(v.unit)} flag={v.flag} />
                </td>
                <td className="pl-5 whitespace-nowrap text-faded">{v.range}</td>
                {dates.map((d) => {
                  const e = v.earlier?.find((x) => x.at.slice(0, 10) === d);
                  return (
                    <td key={d} className="pl-5 whitespace-nowrap">
                      {e && (
                        <>
                          <Value side={e.side.replace("critical ", "")} text={e.text} />
                          {e.unit !== v.unit && <span className="text-faded"> {unit(e.unit)}</span>}
                        </>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </Table>
        </div>
        {r.notes && <p className="mt-3 font-serif text-read whitespace-pre-wrap">{r.notes}</p>}
        {readable.length > 0 && disagree.length === 0 && (
          <p className="small mt-4">
            {readable.length === values.length
              ? `The laboratory's flags and our reading of its ranges agree in ${readable.length === 1 ? "this value" : `all ${readable.length} values`}.`
              : `We could read the range of ${readable.length} of ${values.length} values; there the laboratory's flags and our reading agree.`}
          </p>
        )}
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
                : `${r.owner} answers for this line; a physician closes it.`}
          </p>
        )}
      </aside>
      {dialog}
    </>
  );
}
