import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { clock, day, shortDay } from "../frame/time";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { OrderPad } from "../order/OrderPad";
import type { Item } from "../order/pad";
import { Prescribe } from "../prescribe/Prescribe";
import { Gather } from "../printing/Gather";
import { useMe, useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { Beside } from "./Beside";
import { Contacts } from "./Critical";
import { type Hand, HandOver } from "./HandOver";
import { Level, type Meaning, Means } from "./Letter";
import { type Beyond, Onward } from "./Onward";
import { Released } from "./Release";
import { Medicines, ReportBody } from "./ReportBody";
import { SnippetBox } from "./SnippetBox";

type Report = Schemas["PacketReport"];

const keyOf: Record<string, string> = {
  portal: "Alt+p",
  letter: "Alt+e",
  telephone: "Alt+t",
  "in person": "Alt+i",
  call: "Alt+c",
  visit: "Alt+v",
  "not told": "Alt+n",
};

const critical = (r: Report) => r.values.some((v) => v.side.startsWith("critical"));

/** folds says whether a report can stand as one line: every value judged in range by flag and reading, and nothing else to read. */
const folds = (r: Report) =>
  r.values.length > 1 &&
  r.values.every(
    (v) => v.live && v.side === "in range" && !v.disagree && !v.notes && !v.before && v.change?.verdict !== "exceeds",
  ) &&
  !r.notes &&
  !r.reopened &&
  !r.wasNotes &&
  (r.removed ?? []).length === 0 &&
  (r.handed ?? []).length === 0 &&
  !(r.details.specimens ?? []).some((s) => s.refused || s.condition);

type Decided = {
  comment: string;
  told: string;
  reason: string; // why not told
  until: string; // on which day what is told at a visit comes back
  means: Record<string, Meaning>;
  written: string | null; // by hand, in place of what the letter would say
  hands: Record<string, Hand>;
  own: Record<string, string>; // comments of single reports, in place of the packet's
  left: Record<string, boolean>; // not signed this time
  desk: string | null; // what the front desk may tell; null for nothing
};

const nothing: Decided = {
  desk: null,
  comment: "",
  told: "",
  reason: "",
  until: "",
  means: {},
  written: null,
  hands: {},
  own: {},
  left: {},
};

/** Packet is what of a patient waits, read together, with one decision in the margin; only one report of it where one is named. */
export function Packet({ id, next, only = "", more }: { id: string; next: string; only?: string; more?: ReactNode }) {
  const go = useNavigate();
  const client = useQueryClient();
  const { today } = useMe();
  const signs = useRight("sign a result");
  const permitted = useRight("sign a result in range by the clinic's rule");
  const maySign = signs || permitted;
  const [undo, setUndo] = useState<Decided[]>([]);
  const [beyond, setBeyond] = useState<{ to: Beyond; begin?: Item[] }>({ to: "" });
  const opened = useRef(false);
  const packet = useQuery({
    queryKey: ["report", "packet", id, only],
    queryFn: () => {
      const refresh = opened.current;
      opened.current = true;
      return got(
        api.GET("/api/packets/{id}", {
          params: { path: { id }, query: { report: only } },
          headers: refresh ? { "X-Refresh": "1" } : {},
        }),
      );
    },
  });
  // What is decided outlives the page: who looks at another packet first finds it as it was.
  const {
    d,
    request,
    change: put,
    given,
  } = useDraft<Decided>(
    `packet ${id} ${only}`,
    () => nothing,
    (v) => JSON.stringify(v) === JSON.stringify(nothing),
  );
  const { comment, told, hands, own } = d;
  // Each decision can be taken back until it is signed; letters typed one after another are one.
  const change = (x: Partial<Decided>) => {
    const last = undo.at(-1);
    const typing = Object.keys(x).every(
      (k) => k === "comment" || k === "written" || k === "desk" || k === "reason" || k === "own",
    );
    const same = typing && last && Object.keys(x).every((k) => last[k as keyof Decided] !== d[k as keyof Decided]);
    if (!same) setUndo([...undo.slice(-50), d]);
    put(x);
  };
  const back = () => {
    const was = undo.at(-1);
    if (!was) return;
    setUndo(undo.slice(0, -1));
    put(was);
  };
  const [handing, setHanding] = useState(false);
  const [unfolded, setUnfolded] = useState<Record<string, boolean>>({});
  const [cursor, setCursor] = useState<[string, number] | null>(null);
  const [whys, setWhys] = useState(false);
  const [error, setError] = useState("");
  const reads = told === "portal" || told === "letter";
  const seen = useRef<Record<string, string>>({});
  const { sign, dialog, busy } = useSigning();
  const box = useRef<HTMLTextAreaElement>(null);
  const meant = useRef<HTMLDivElement>(null);
  const p = packet.data;
  const loaded = !!p;
  useEffect(() => {
    if (loaded) box.current?.focus();
  }, [loaded]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the way is chosen, not with every key
  useEffect(() => {
    if (reads) meant.current?.querySelector("button")?.focus();
  }, [told]);
  useEffect(() => {
    if (!p) return;
    const changed = p.reports.some((r) => seen.current[r.id] && seen.current[r.id] !== `${r.issue}.${r.version}`);
    const more = Object.keys(seen.current).length > 0 && p.reports.some((r) => !seen.current[r.id]);
    if (changed || more)
      setError(`${changed ? "A report has changed" : "Another report has come"} since you opened this. Read it before signing.`);
    seen.current = Object.fromEntries(p.reports.map((r) => [r.id, `${r.issue}.${r.version}`]));
  }, [p]);
  const reports = p?.reports ?? [];
  const open = reports.filter((r) => !r.waits && !r.signed && !r.gone && (signs || r.signs));
  const several = open.length > 1;
  const stays = (r: Report) =>
    d.left[r.id] ?? ((several && critical(r)) || (r.handed ?? []).some((h) => h.state === "open" && !h.passed));
  const signed = open.filter((r) => !hands[r.id] && !stays(r));
  const handed = reports.filter((r) => hands[r.id]);
  const word = signed.length > 1 ? `Sign ${signed.length}` : "Sign";
  const settles =
    handed.length === 0 ? `${word} and next` : signed.length === 0 ? "Hand over and next" : `${word}, hand over, next`;
  const draft = p
    ? [p.opening, ...signed.map((r) => r.tells.find((t) => t.meaning === (d.means[r.id] ?? ""))?.says ?? ""), p.closing].join(
        "\n\n",
      )
    : "";
  const text = d.written ?? draft;
  const rows = reports.flatMap((r) => (folds(r) && !unfolded[r.id] ? [] : r.laid.rows.map((i): [string, number] => [r.id, i])));
  const step = (by: number) => {
    const at = rows.findIndex(([id, row]) => cursor?.[0] === id && cursor[1] === row);
    const to = rows[at < 0 ? (by > 0 ? 0 : rows.length - 1) : Math.min(rows.length - 1, Math.max(0, at + by))];
    if (to) setCursor(to);
  };
  const choose = (way: string) => {
    const w = p?.ways.find((x) => x.way === way);
    if (w?.not) return setError(`Not this way: ${w.not}.`);
    setError("");
    change({ told: way });
  };
  async function take() {
    setError("");
    try {
      await got(api.POST("/api/packets/{id}/take", { params: { path: { id } }, body: {} }));
      seen.current = {};
      await client.invalidateQueries({ queryKey: ["report"] });
      void client.invalidateQueries({ queryKey: ["desk"] });
    } catch (e) {
      setError(say(e));
    }
  }
  async function settle() {
    if (!p || !maySign) return;
    setError("");
    if (signed.length > 0 && !told) return setError("Say how the patient was told, or why not.");
    if (signed.length + handed.length === 0) return setError("Nothing here is signed or handed over.");
    const body = {
      id: request,
      comment,
      told: signed.length > 0 ? told : "",
      toldReason: d.reason,
      text: reads && signed.length > 0 ? text : "",
      until: told === "visit" ? d.until : "",
      desk: signed.length > 0 ? (d.desk ?? "") : "",
      reports: [
        ...signed.map((r) => ({ id: r.id, issue: r.issue, version: r.version, act: "sign" as const, comment: own[r.id] })),
        ...handed.map((r) => ({ id: r.id, issue: r.issue, version: r.version, act: "hand over" as const, ...hands[r.id] })),
      ],
    };
    const act = (secret?: string) =>
      got(api.POST("/api/packets/{id}/settle", { params: { path: { id } }, body: { ...body, secret: secret ?? "" } }));
    const done = () => {
      put(nothing);
      setUndo([]);
      given();
      void client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["report"] });
      if (reports.some((r) => !signed.includes(r) && !handed.includes(r))) {
        seen.current = {}; // what stays open stays on the page, and is decided by itself
        if (open.length > signed.length + handed.length) return;
      }
      go(next);
    };
    const failed = (e: unknown) => {
      setError(say(e));
      void packet.refetch();
    };
    if (signed.length === 0) {
      try {
        await act();
        done();
      } catch (e) {
        failed(e);
      }
      return;
    }
    await sign({
      title: signed.length === 1 ? "Sign the result" : `Sign ${signed.length} results`,
      lines: [`${p.patient.given} ${p.patient.family}`, ...signed.map((r) => `${r.title}, ${r.status}`)],
      act,
      done,
      failed,
    });
  }
  useKeys(
    open.length > 0 && maySign
      ? [
          { key: "Ctrl+Enter", label: "Sign what is decided, and open the next", run: () => void settle() },
          ...(p?.ways ?? []).map((w) => ({ key: keyOf[w.way] ?? "", label: w.says, run: () => choose(w.way) })),
          { key: "Alt+o", label: "Hand one over", run: () => setHanding((was) => !was) },
          { key: "Alt+b", label: "Take the last decision back", run: back },
        ]
      : [],
  );
  useKeys([
    { key: "Alt+h", label: "Why a change is one", run: () => setWhys((was) => !was) },
    {
      key: "Alt+k",
      label: "Show all values, or fold what is in range",
      run: () => setUnfolded((was) => (Object.keys(was).length > 0 ? {} : Object.fromEntries(reports.map((r) => [r.id, true])))),
    },
    { key: "Alt+ArrowDown", label: "Draw the next value over time", run: () => step(1) },
    { key: "Alt+ArrowUp", label: "Draw the value before over time", run: () => step(-1) },
  ]);
  if (packet.error) return <p className="p-8">{say(packet.error)}</p>;
  if (!p) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <>
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4 max-wide:flex-none max-wide:overflow-visible"
      >
        <Whose patient={p.patient} also={portal(p.patient)} />
        {p.called.map((c) => (
          <p key={c.id} role="status" className="margin-note mb-4 border-alarm">
            <b className="text-alarm">Told by telephone:</b> {c.says}, by {c.laboratory}, {clock(c.calledAt)}, taken down by{" "}
            {c.by}.{" "}
            <Link to={`/desk/called/${c.id}`} className="text-kelp hover:underline">
              Say which report it is
            </Link>
          </p>
        ))}
        {reports.length === 0 && <p className="small">Nothing of this patient waits here.</p>}
        {reports.map((r, i) => (
          <section key={r.id} aria-label={r.title} className="mb-6 border-b border-rule pb-4 last:border-b-0">
            {folds(r) && !unfolded[r.id] ? (
              <div className="flex flex-wrap items-baseline gap-x-3">
                <h2 className="text-title">
                  {several && <span className="mr-2 font-mono text-small text-faded">{i + 1}</span>}
                  {r.title}
                </h2>
                <span className="small">
                  {r.performer || "performer not named"} · collected {shortDay(r.collectedAt, today)} {clock(r.collectedAt)} ·{" "}
                  <b>{r.status}</b> · all {r.values.length} in range
                </span>
                <button type="button" className="plain py-0" onClick={() => setUnfolded({ ...unfolded, [r.id]: true })}>
                  show <KeyCap k="Alt+K" />
                </button>
              </div>
            ) : (
              <ReportBody
                report={r}
                whys={whys}
                setWhys={() => setWhys(!whys)}
                place={several ? i + 1 : undefined}
                cursor={cursor?.[0] === r.id ? cursor[1] : undefined}
                setCursor={(row) => setCursor(cursor?.[0] === r.id && cursor[1] === row ? null : [r.id, row])}
              />
            )}
            {(r.handed ?? []).map((h) => (
              <p key={h.id} className="margin-note mt-2 text-aside">
                <b>
                  {h.state === "open"
                    ? `With ${h.to} until ${day(h.until)}`
                    : `${h.answerBy} ${h.state === "done" ? "did it" : h.state}`}
                  {h.passed && <span className="text-alarm"> · the day has passed</span>}
                </b>
                : {h.instruction}
                {h.answer && (
                  <span className="block">
                    “{h.answer}” {h.answerAt && `${day(h.answerAt)}, ${clock(h.answerAt)}`}
                  </span>
                )}
              </p>
            ))}
            {several && !r.waits && !r.signed && maySign && (
              <div className="mt-2 flex flex-wrap items-center gap-x-4 text-aside">
                {hands[r.id] ? (
                  <>
                    <b>Handed to {nameOf(p, hands[r.id]?.team ?? hands[r.id]?.to ?? "")}</b>: {hands[r.id]?.instruction}{" "}
                    <button type="button" className="plain py-0" onClick={() => change({ hands: without(hands, r.id) })}>
                      not so
                    </button>
                  </>
                ) : (
                  <label className="inline-flex items-center gap-2">
                    <input
                      type="checkbox"
                      className="size-4 accent-kelp"
                      checked={!stays(r)}
                      disabled={critical(r)}
                      onChange={() => change({ left: { ...d.left, [r.id]: !stays(r) } })}
                    />
                    signed with the packet
                    {critical(r) && <b className="text-alarm">critical: signed by itself, afterwards</b>}
                  </label>
                )}
                {!hands[r.id] &&
                  !stays(r) &&
                  (own[r.id] === undefined ? (
                    <button
                      type="button"
                      className="plain px-0 py-0"
                      onClick={() => change({ own: { ...own, [r.id]: comment } })}
                    >
                      own comment…
                    </button>
                  ) : (
                    <label className="label mt-1 block w-full max-w-[60ch]">
                      In the chart, for {r.title} alone
                      <textarea
                        rows={2}
                        autoFocus
                        className="box mt-1 font-serif text-read text-ink"
                        value={own[r.id]}
                        onChange={(e) => change({ own: { ...own, [r.id]: e.target.value } })}
                      />
                    </label>
                  ))}
              </div>
            )}
          </section>
        ))}
        {p.care.length > 0 && <Medicines care={p.care} />}
        {p.others.length > 0 && (
          <p className="small mt-4">
            Others answer for{" "}
            {p.others.map((o, i) => (
              <span key={o.id}>
                {i > 0 && ", "}
                <Link to={`/desk/report/${o.id}`} className="text-kelp hover:underline">
                  {o.title}
                </Link>{" "}
                ({o.owner})
              </span>
            ))}
            {signs && (
              <button type="button" className="plain py-0" onClick={() => void take()}>
                Take {p.others.length > 1 ? "them" : "it"} over
              </button>
            )}
          </p>
        )}
      </main>
      {beyond.to === "order" && (
        <OrderPad
          patient={p.patient}
          diagnoses={reports
            .flatMap((r) => r.order?.tests ?? [])
            .flatMap((x) => x.diagnoses)
            .filter((x, i, all) => all.findIndex((y) => y.code === x.code) === i)}
          begin={beyond.begin}
          close={() => setBeyond({ to: "" })}
        />
      )}
      {beyond.to === "prescribe" && <Medicine patient={p.patient} close={() => setBeyond({ to: "" })} />}
      <aside
        hidden={beyond.to !== ""}
        aria-label="Review"
        className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full max-wide:border-l-0"
      >
        {open.filter(critical).map((r) => (
          <Contacts
            key={r.id}
            of={r}
            send={(body) => got(api.POST("/api/reports/{id}/contacts", { params: { path: { id: r.id } }, body }))}
          />
        ))}
        {open.length > 0 && maySign ? (
          <>
            <SnippetBox
              label={`In the chart${signed.length > 1 ? `, for all ${signed.length} reports` : ""}`}
              box={box}
              snippets={p.snippets}
              rows={4}
              className="box mt-1 border-kelp font-serif text-title-s text-ink"
              value={comment}
              set={(comment) => change({ comment })}
            />
            <fieldset className="mt-3">
              <legend className="label mb-1">How the patient is told</legend>
              {p.ways.map((w) =>
                w.not ? (
                  <p key={w.way} className="small py-0.5">
                    {w.says}: {w.not}.
                  </p>
                ) : (
                  <label key={w.way} className="flex items-center gap-2 py-0.5">
                    <input
                      type="radio"
                      name="told"
                      className="size-4 accent-kelp"
                      checked={told === w.way}
                      onChange={() => choose(w.way)}
                    />
                    <span className="flex-1">{w.says}</span>
                    <KeyCap k={(keyOf[w.way] ?? "").replace(/[a-z]$/, (x) => x.toUpperCase())} />
                  </label>
                ),
              )}
            </fieldset>
            {told === "not told" && (
              <label className="label mt-2 block">
                Why not
                <input className="field text-ink" value={d.reason} onChange={(e) => change({ reason: e.target.value })} />
              </label>
            )}
            {told === "visit" && (
              <label className="label mt-2 block">
                Comes back when not told by
                <input
                  type="date"
                  className="field text-ink"
                  min={today}
                  value={d.until}
                  onChange={(e) => change({ until: e.target.value })}
                />
              </label>
            )}
            {reads && signed.length > 0 && (
              <div ref={meant} className="mt-3">
                <p className="label mb-1">
                  What it means for {p.patient.given} <KeyCap k="g" /> <KeyCap k="n" /> <KeyCap k="f" />
                </p>
                {signed.map((r) => (
                  <Means
                    key={r.id}
                    title={r.title}
                    value={d.means[r.id] ?? ""}
                    set={(m) => change({ means: { ...d.means, [r.id]: m } })}
                  />
                ))}
                <SnippetBox
                  above="mt-2"
                  label={`To the patient, ${told === "portal" ? "through the portal" : "by letter"}`}
                  snippets={p.snippets}
                  rows={9}
                  className="box mt-1 font-serif text-read text-ink"
                  value={text}
                  set={(written) => change({ written })}
                />
                <Level text={text} />
                {d.written !== null && (
                  <button type="button" className="plain px-0 py-0" onClick={() => change({ written: null })}>
                    Write it anew from the choices
                  </button>
                )}
              </div>
            )}
            {d.desk === null ? (
              <button type="button" className="plain mt-2 px-0 py-0" onClick={() => change({ desk: "" })}>
                The front desk may tell…
              </button>
            ) : (
              <SnippetBox
                above="mt-2"
                label={`What the front desk may tell when ${p.patient.given} calls`}
                autoFocus
                snippets={p.snippets}
                rows={2}
                className="box mt-1 font-serif text-read text-ink"
                value={d.desk}
                set={(desk) => change({ desk })}
              />
            )}
            {!signs && <p className="small mt-2">{open.map((r) => r.signsBy)[0]}</p>}
            <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
            <button type="button" className="act" disabled={busy} onClick={() => void settle()}>
              {settles} <KeyCap k="Ctrl+Enter" />
            </button>
            {undo.length > 0 && (
              <button type="button" className="plain mt-1 flex items-baseline gap-2 px-0 text-left" onClick={back}>
                Take the last decision back <KeyCap k="Alt+B" />
              </button>
            )}
          </>
        ) : (
          <p className="small">
            {reports.every((r) => r.waits)
              ? "Nothing to sign yet: the final report closes this line."
              : `${reports[0]?.owner ?? "Somebody else"} answers for this line; a physician closes it.`}
            {permitted && !signs && reports.some((r) => r.signsNot) && (
              <span className="block">Not signed by a nurse: {reports.find((r) => r.signsNot)?.signsNot}.</span>
            )}
          </p>
        )}
        {open.length > 0 && signs && (
          <div className="mt-3">
            {handing ? (
              <HandOver
                packet={p}
                reports={open.filter((r) => !hands[r.id])}
                numbers={reports.map((r) => r.id)}
                take={(report, hand) => {
                  change({ hands: { ...hands, [report]: hand } });
                  setHanding(false);
                }}
                leave={() => setHanding(false)}
              />
            ) : (
              <button type="button" className="plain px-0" onClick={() => setHanding(true)}>
                Hand {several ? "one " : ""}over <KeyCap k="Alt+O" />
              </button>
            )}
          </div>
        )}
        {reports.length > 0 && <Onward packet={p} beyond={(to, begin) => setBeyond({ to, begin })} />}
        <p className="mt-3">
          <Gather
            word={`Gather ${several ? `all ${reports.length} ` : ""}for printing`}
            reports={reports.map((r) => ({
              id: r.id,
              title: r.title,
              at: r.collectedAt,
              of: `${p.patient.given} ${p.patient.family}`,
              patient: p.patient.id,
            }))}
          />
        </p>
        <Beside of={p.beside} unread={p.unread} />
        <Released reports={reports} />
        {more}
      </aside>
      {dialog}
    </>
  );
}

// Medicine prescribes, changes or stops one of the patient's medicines beside the result.
function Medicine({ patient, close }: { patient: Schemas["PatientView"]; close: () => void }) {
  const chart = useQuery({
    queryKey: ["chart", patient.id],
    queryFn: () => got(api.GET("/api/patients/{id}", { params: { path: { id: patient.id } } })),
  });
  if (!chart.data) return null;
  return (
    <Prescribe
      patient={patient}
      medicines={chart.data.medicines.map((m) => ({ id: m.id, name: m.name, dose: m.dose }))}
      close={close}
    />
  );
}

const nameOf = (p: Schemas["PacketView"], id: string) => p.handTo.find((x) => x.id === id)?.name ?? "everybody";

function without<T>(all: Record<string, T>, key: string): Record<string, T> {
  const { [key]: _, ...rest } = all;
  return rest;
}
