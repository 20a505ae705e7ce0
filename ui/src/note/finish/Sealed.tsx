import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { clock, day } from "../../frame/time";
import { PersonSearch } from "../../kit/PersonSearch";
import { Wrong } from "../../kit/Wrong";
import { useRight } from "../../session/me";
import { useSigning } from "../../sign/useSigning";
import { Kept, Title } from "../Title";
import { type Note, show } from "../useNote";
import { Blocks } from "../write/Blocks";
import { Alone, heading } from "./Alone";
import { Absence, FollowUp, FollowUps } from "./Finishing";
import { Letters } from "./Letters";
import { useNext } from "./useNext";

function Entry({
  entry,
  note,
  title,
  section,
}: {
  entry: Schemas["SealedView"];
  note?: Note;
  title?: string;
  section?: (heading: string) => void;
}) {
  const source = (id: string) => note?.sources.find((s) => s.note === id)?.words ?? "";
  return (
    <article className="mb-5">
      {title && <h3 className="mb-1 text-title-s">{title}</h3>}
      {entry.sections?.map((s) => {
        const part = Object.entries(heading).find(([, h]) => h === s.heading)?.[0] ?? s.heading.toLowerCase();
        const blocks = entry.blocks.filter((b) => b.part === part);
        return (
          <section key={s.heading} className="mb-3">
            <h4 className="label flex items-baseline font-sans">
              <span className="flex-1">{s.heading}</span>
              {section && (
                <button
                  type="button"
                  className="plain py-0 text-small"
                  aria-label={`${s.heading} alone`}
                  onClick={() => section(s.heading)}
                >
                  Alone…
                </button>
              )}
            </h4>
            {blocks.length > 0 ? (
              <>
                {part === "assessment" &&
                  note?.diagnoses.map((d, i) => (
                    <p key={d.code} className="font-serif text-title">
                      {i + 1}. {d.title} ({d.code})
                    </p>
                  ))}
                <Blocks blocks={blocks} marks source={source} />
              </>
            ) : (
              <p className="font-serif text-title whitespace-pre-wrap">{s.text}</p>
            )}
          </section>
        );
      })}
      {entry.drawings.map((d) => (
        <figure key={d.svg} className="mr-3 mb-3 inline-block border border-rule p-1">
          <img className="h-[220px]" alt={d.caption} src={`data:image/svg+xml;utf8,${encodeURIComponent(d.svg)}`} />
          <figcaption className="small">{d.caption}</figcaption>
        </figure>
      ))}
      <p className="small border-t border-rule pt-1.5">
        {entry.began && `Draft of ${entry.began}. `}Signed by {entry.signedBy}, {day(entry.signedAt)}, {clock(entry.signedAt)} ·
        folio {entry.folio} · seal <span className="font-mono">{entry.hash.slice(0, 16)}</span>
        {entry.share && (
          <span className="block">
            Text:{" "}
            {Object.entries(entry.share)
              .filter(([, n]) => n > 0)
              .map(([k, n]) => `${n} % ${k === "findings" ? "from findings" : k === "chart" ? "from the chart" : k}`)
              .join(", ")}
          </span>
        )}
      </p>
    </article>
  );
}

/** Sealed is a signed note, with what was added after it. */
export function Sealed({ note, chart }: { note: Note; chart: Schemas["ChartView"] }) {
  const client = useQueryClient();
  const mayAmend = useRight("sign a note");
  const [adding, setAdding] = useState(false);
  const [retracting, setRetracting] = useState(false);
  const [alone, setAlone] = useState("");
  const [finishing, setFinishing] = useState<"" | "follow-up" | "absence">("");
  const mayWrite = useRight("write a note");
  const [shown, setShown] = useState(false);
  const [text, setText] = useState("");
  const [error, setError] = useState("");
  const [letters, setLetters] = useState(false);
  const { sign, dialog, busy } = useSigning();
  const { next, open: nextPatient } = useNext(note);
  const print = () => window.open(`/api/notes/${note.id}/pdf`, "_blank", "noopener");
  async function amend() {
    await sign({
      title: "Sign the amendment",
      lines: [`${chart.patient.given} ${chart.patient.family}`, `to folio ${note.sealed?.folio}`],
      act: (secret) =>
        got(api.POST("/api/notes/{id}/amendments", { params: { path: { id: note.id } }, body: { secret, text } })).then((n) =>
          show(client, n),
        ),
      done: () => {
        setAdding(false);
        setText("");
        setError("");
      },
      failed: (e) => setError(say(e)),
    });
  }
  useKeys([
    { key: "p", label: "Print the note as PDF", run: print },
    { key: "n", label: next ? "Open the next patient" : "Back to Today", run: () => void nextPatient() },
    ...(mayWrite && !note.retracted ? [{ key: "u", label: "Ask the patient back", run: () => setFinishing("follow-up") }] : []),
    ...(mayAmend && !note.retracted ? [{ key: "a", label: "Absence letter", run: () => setFinishing("absence") }] : []),
    ...(mayWrite && !note.retracted
      ? [{ key: "Alt+c", label: "Letters, leaflets, a message to the patient", run: () => setLetters(!letters) }]
      : []),
    ...(mayAmend && !note.retracted ? [{ key: "m", label: "Write an amendment", run: () => setAdding(true) }] : []),
    ...(adding ? [{ key: "Ctrl+Enter", label: "Sign the amendment", run: () => void amend() }] : []),
  ]);
  const hidden = note.retracted && !shown;
  return (
    <>
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        <div className="min-h-0 flex-1 overflow-auto max-wide:overflow-visible px-16 py-5 max-phone:px-4">
          <div className="max-w-[720px]">
            <Title note={note}>{note.retracted ? "Retracted" : "Signed and sealed"}</Title>
            {note.retracted && (
              <div className="mb-4 border-l-[3px] border-alarm pl-3">
                <p className="font-semibold">Retracted: it was written in the wrong chart</p>
                <p>{note.retracted.reason}</p>
                <p className="small">
                  {note.retracted.by}, {day(note.retracted.at)}, {clock(note.retracted.at)} · folio {note.retracted.folio}
                </p>
                {note.retracted.belongs && (
                  <p>
                    It belongs to{" "}
                    <Link className="font-semibold text-kelp hover:underline" to={`/patients/${note.retracted.belongs}`}>
                      record {note.retracted.record}
                    </Link>
                    .
                  </p>
                )}
                <button type="button" className="plain" onClick={() => setShown(!shown)}>
                  {shown ? "Hide the sealed original" : "Show the sealed original"}
                </button>
              </div>
            )}
            {(note.conflicts ?? []).length > 0 && <Kept note={note} />}
            {!hidden && note.sealed && <Entry entry={note.sealed} note={note} section={setAlone} />}
            {finishing === "follow-up" && <FollowUp note={note} close={() => setFinishing("")} />}
            {finishing === "absence" && <Absence note={note} close={() => setFinishing("")} />}
            <FollowUps note={note} />
            {alone && <Alone note={note} section={alone} close={() => setAlone("")} />}
            {!hidden && note.amendments?.map((a) => <Entry key={a.folio} entry={a} title={`Amendment of ${day(a.signedAt)}`} />)}
            {adding && (
              <div className="mb-4">
                <label className="label block">
                  Amendment
                  <textarea
                    autoFocus
                    rows={5}
                    className="box mt-1 font-serif text-title text-ink"
                    value={text}
                    onChange={(e) => setText(e.target.value)}
                  />
                </label>
                <Wrong says={error} className="my-1 min-h-[21px] text-aside" />
                <button type="button" className="act" disabled={busy} onClick={() => void amend()}>
                  Sign the amendment <KeyCap k="Ctrl+Enter" />
                </button>
                <button type="button" className="plain ml-4" onClick={() => setAdding(false)}>
                  Leave it
                </button>
              </div>
            )}
            {retracting && <Retract note={note} chart={chart} sign={sign} busy={busy} close={() => setRetracting(false)} />}
          </div>
        </div>
        <footer className="flex shrink-0 flex-wrap items-center gap-2 border-t border-rule bg-paper px-16 py-2 max-phone:px-4">
          <button type="button" className="act" onClick={() => void nextPatient()}>
            {next ? `Next: ${next.patient.given} ${next.patient.family}` : "Back to Today"} <KeyCap k="n" />
          </button>
          <button type="button" className="choice" onClick={print}>
            Print <KeyCap k="p" />
          </button>
          {mayAmend && !adding && !note.retracted && (
            <button type="button" className="choice" onClick={() => setAdding(true)}>
              Amend <KeyCap k="m" />
            </button>
          )}
          {mayWrite && !note.retracted && (
            <button type="button" className="choice" onClick={() => setFinishing("follow-up")}>
              Come back <KeyCap k="u" />
            </button>
          )}
          {mayAmend && !note.retracted && (
            <button type="button" className="choice" onClick={() => setFinishing("absence")}>
              Absence <KeyCap k="a" />
            </button>
          )}
          {mayWrite && !note.retracted && (
            <button type="button" className="choice" onClick={() => setLetters(!letters)}>
              Letters <KeyCap k="Alt+c" />
            </button>
          )}
          {!note.retracted && note.charged && (
            <span className="text-aside">
              For billing:{" "}
              <a className="font-semibold text-kelp hover:underline" href={`/api/notes/${note.id}/claim.json`}>
                FHIR
              </a>{" "}
              <a className="font-semibold text-kelp hover:underline" href={`/api/notes/${note.id}/claim.csv`}>
                CSV
              </a>
            </span>
          )}
          {mayAmend && !note.retracted && !retracting && (
            <button type="button" className="plain" onClick={() => setRetracting(true)}>
              Wrong chart…
            </button>
          )}
        </footer>
        {dialog}
      </main>
      {letters && <Letters note={note} close={() => setLetters(false)} />}
    </>
  );
}

function Retract({
  note,
  chart,
  sign,
  busy,
  close,
}: {
  note: Note;
  chart: Schemas["ChartView"];
  sign: ReturnType<typeof useSigning>["sign"];
  busy: boolean;
  close: () => void;
}) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const [to, setTo] = useState<Schemas["PatientView"] | null>(null);
  const [error, setError] = useState("");
  return (
    <section aria-label="Retract the note" className="mb-4 border border-alarm p-3">
      <h3 className="text-title-s">Written in the wrong chart</h3>
      <p className="small">The sealed original stays, hidden by default, and points to the chart it belongs to.</p>
      <label className="label mt-2 block">
        Why
        <input autoFocus className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
      </label>
      <PersonSearch
        label="Chart it belongs to (find by name, birth date or record)"
        but={chart.patient.id}
        chosen={to}
        choose={setTo}
      />
      <Wrong says={error} className="min-h-[20px] text-aside" />
      <button
        type="button"
        className="act"
        disabled={busy || reason.trim() === ""}
        onClick={() =>
          void sign({
            title: "Sign the retraction",
            lines: [
              `${chart.patient.given} ${chart.patient.family}, folio ${note.sealed?.folio}`,
              to ? `belongs to ${to.given} ${to.family}` : "no other chart named",
            ],
            act: (secret) =>
              got(
                api.POST("/api/notes/{id}/retract", {
                  params: { path: { id: note.id } },
                  body: { secret, reason, belongs: to?.id ?? "" },
                }),
              ).then((n) => show(client, n)),
            done: close,
            failed: (e) => setError(say(e)),
          })
        }
      >
        Retract the note
      </button>
      <button type="button" className="plain ml-4" onClick={close}>
        Leave it
      </button>
    </section>
  );
}
