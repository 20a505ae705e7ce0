import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { unit } from "../chart/Spine";
import { api, got, type Schemas, say } from "../exchange/client";
import { useDesk } from "../frame/Frame";
import { KeyCap, useKeys } from "../frame/keys";
import { age, clock, day, shortDay } from "../frame/time";
import { OrderComposer } from "../order/OrderComposer";
import { OrderRow } from "../order/OrderRow";
import { Prepared } from "../order/Prepared";
import { useRight } from "../session/session";
import { useSigning } from "../sign/useSigning";
import { Flags, Value } from "./Flags";
import { Going } from "./Going";
import { Held } from "./Held";

type Item = {
  kind: "report" | "held" | "note" | "order" | "sign" | "back" | "message" | "fax";
  id: string;
  to: string;
  row: ReactNode;
  label: string;
};

// rank puts critical first, then what reopened, then abnormal, then the rest; preliminary last.
function rank(r: Schemas["ReportRow"]) {
  if (r.critical) return 0;
  if (r.status === "preliminary" || r.status === "incomplete") return 4;
  if (r.reopened) return 1;
  return r.above + r.below + r.abnormal > 0 ? 2 : 3;
}

function Row({ name, right, under, when }: { name: string; right: ReactNode; under: ReactNode; when: string }) {
  return (
    <>
      <span className="flex items-baseline justify-between gap-2">
        <span className="text-[15px] font-semibold">{name}</span>
        {right}
      </span>
      <span className="small flex justify-between gap-2">
        <span>{under}</span>
        <span className="shrink-0">{when}</span>
      </span>
    </>
  );
}

/** Desk is the open lines of the person: one list, one page, one margin. */
export function Desk() {
  const { kind = "", id = "" } = useParams();
  const go = useNavigate();
  const desk = useDesk();
  const [tab, setTab] = useState<"results" | "notes" | "orders">(
    ["order", "sign", "message", "fax"].includes(kind) ? "orders" : "results",
  );
  const d = desk.data;
  const results: Item[] = [
    ...(d?.reports ?? [])
      .toSorted(
        (a, b) =>
          rank(a.report) - rank(b.report) ||
          a.patient.family.localeCompare(b.patient.family) ||
          Date.parse(a.since) - Date.parse(b.since),
      )
      .map(({ report: r, since, patient: p }) => ({
        kind: "report" as const,
        id: r.id,
        to: `/desk/report/${r.id}`,
        label: `${p.given} ${p.family}, ${r.title}`,
        row: (
          <Row
            name={`${p.given} ${p.family}`}
            right={<Flags report={r} short />}
            under={`${r.title}, ${r.status}${r.reopened ? " after signing" : ""}`}
            when={age(since)}
          />
        ),
      })),
    ...(d?.quarantine ?? []).map((m) => ({
      kind: "held" as const,
      id: String(m.id),
      to: `/desk/held/${m.id}`,
      label: "No certain patient",
      row: (
        <Row
          name="No certain patient"
          right={<span className="text-[12.5px] font-semibold text-carried">to decide</span>}
          under={
            m.readable
              ? `${m.family}${m.given ? `, ${m.given}` : ""}${m.birthDate ? `, b. ${day(m.birthDate)}` : ""}`
              : "Cannot be read"
          }
          when={age(m.receivedAt)}
        />
      ),
    })),
  ];
  const notes: Item[] = (d?.notes ?? []).map((n) => ({
    kind: "note",
    id: n.visitId,
    to: `/patients/${n.patient.id}/visits/${n.visitId}`,
    label: `${n.patient.given} ${n.patient.family}`,
    row: (
      <Row
        name={`${n.patient.given} ${n.patient.family}`}
        right={n.days >= 7 ? <span className="text-[12.5px] font-semibold">waits {n.days} days</span> : null}
        under="Note not signed"
        when={age(n.since)}
      />
    ),
  }));
  const toSign: Item[] = (d?.toSign ?? []).map((o) => ({
    kind: "sign",
    id: o.order.id,
    to: `/desk/sign/${o.order.id}`,
    label: `${o.patient.given} ${o.patient.family}`,
    row: (
      <Row
        name={`${o.patient.given} ${o.patient.family}`}
        right={
          <span className="text-[12.5px] font-semibold text-carried">
            {o.order.state === "returned" ? "given back" : "to sign"}
          </span>
        }
        under={`${o.order.tests.map((t) => t.name).join(", ")}, prepared by ${o.order.by}`}
        when={age(o.since)}
      />
    ),
  }));
  const underWay: Item[] = (d?.orders ?? []).map((o) => ({
    kind: "order",
    id: o.order.id,
    to: `/desk/order/${o.order.id}`,
    label: `${o.patient.given} ${o.patient.family}`,
    row: (
      <Row
        name={`${o.patient.given} ${o.patient.family}`}
        right={o.order.state === "refused" ? <span className="text-[12.5px] font-semibold text-alarm">refused</span> : null}
        under={`${(o.order.tests ?? []).map((t) => t.name).join(", ")}: ${o.order.state}`}
        when={age(o.since)}
      />
    ),
  }));
  const back: Item[] = (d?.followUps ?? []).map((f) => ({
    kind: "back",
    id: f.id,
    to: `/patients/${f.patient.id}`,
    label: `${f.patient.given} ${f.patient.family}`,
    row: (
      <Row
        name={`${f.patient.given} ${f.patient.family}`}
        right={null}
        under={`Comes back ${f.said}, waits to be booked: ${f.reason}`}
        when={age(f.at)}
      />
    ),
  }));
  const sent: Item[] = (d?.sent ?? []).map((x) => ({
    kind: x.sent.kind,
    id: x.sent.id,
    to: `/desk/${x.sent.kind}/${x.sent.id}`,
    label: `${x.patient.given} ${x.patient.family}`,
    row: (
      <Row
        name={`${x.patient.given} ${x.patient.family}`}
        right={x.sent.state === "refused" ? <span className="text-[12.5px] font-semibold text-alarm">refused</span> : null}
        under={`${x.sent.kind === "fax" ? `Fax to ${x.sent.to}` : "Message to the patient"}, ${x.sent.problem || "on its way"}`}
        when={age(x.since)}
      />
    ),
  }));
  const orders = [
    ...sent.filter((_, i) => d?.sent[i]?.sent.state === "refused"),
    ...toSign,
    ...underWay,
    ...back,
    ...sent.filter((_, i) => d?.sent[i]?.sent.state !== "refused"),
  ];
  const going = d?.sent.find((x) => x.sent.id === id);
  const list = tab === "results" ? results : tab === "notes" ? notes : orders;
  const at = list.findIndex((i) => i.id === id);
  const step = (by: number) => {
    const i = list[at < 0 ? 0 : Math.min(list.length - 1, Math.max(0, at + by))];
    if (i) go(i.to);
  };
  // What stood after a line when it was closed is opened next.
  const alike = kind === "sign" ? toSign.find((i) => i.id !== id)?.to : undefined;
  const next = alike ?? list[at + 1]?.to ?? list.find((i) => i.id !== id)?.to ?? "/desk";
  useKeys([
    { key: "ArrowDown", label: "Next line", run: () => step(1) },
    { key: "ArrowUp", label: "Line before", run: () => step(-1) },
  ]);
  const firstResult = results[0]?.to;
  useEffect(() => {
    if (!id && tab === "results" && firstResult) go(firstResult, { replace: true });
  }, [id, tab, firstResult, go]);
  useEffect(() => {
    if (id) document.getElementById(`line-${id}`)?.scrollIntoView({ block: "nearest" });
  }, [id]);
  const order = d?.orders?.find((o) => o.order.id === id);
  const prepared = d?.toSign?.find((o) => o.order.id === id);
  const [changing, setChanging] = useState("");
  const tabs = [
    ["results", "Results", results.length],
    ["notes", "Notes", notes.length],
    ["orders", "Under way", orders.length],
  ] as const;
  return (
    <div className="flex min-h-0 flex-1 max-[1179px]:flex-col max-[1179px]:overflow-auto">
      <section
        aria-label="Open lines"
        className="flex w-[330px] shrink-0 flex-col border-r border-rule max-[1179px]:max-h-64 max-[1179px]:w-full"
      >
        <div className="flex gap-4 border-b border-rule px-4 pt-2.5" role="tablist" aria-label="Kinds of line">
          {tabs.map(([key, word, n]) => (
            <button
              key={key}
              type="button"
              role="tab"
              aria-selected={tab === key}
              className={`border-b-2 pb-1.5 text-[13px] ${tab === key ? "border-kelp font-semibold" : "border-transparent text-faded"}`}
              onClick={() => setTab(key)}
            >
              {word} {n}
            </button>
          ))}
        </div>
        <ul className="min-h-0 flex-1 overflow-auto">
          {list.map((i) => (
            <li key={i.kind + i.id}>
              <Link
                id={`line-${i.id}`}
                to={i.to}
                aria-current={i.id === id}
                className={`block border-b border-rule px-4 py-2 ${i.id === id ? "border-l-[3px] border-l-kelp bg-leaf pl-[13px]" : "hover:bg-kelp-wash"}`}
              >
                {i.row}
              </Link>
            </li>
          ))}
          {desk.isSuccess && list.length === 0 && (
            <li className="small px-4 py-4">
              {tab === "results" && "No results wait. New ones appear here within a second of arriving."}
              {tab === "notes" && "No notes wait for your signature."}
              {tab === "orders" && "No orders are under way. Those you sign stand here until their results are signed."}
            </li>
          )}
        </ul>
      </section>
      {kind === "report" && <Report key={id} id={id} next={next} />}
      {kind === "held" && <Held key={id} id={Number(id)} next={next} />}
      {kind === "order" && order && (
        <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
          <h1 className="mb-3 text-[20px]">
            <Link to={`/patients/${order.patient.id}`}>
              {order.patient.given} {order.patient.family}
            </Link>
          </h1>
          <OrderRow order={order.order} />
        </main>
      )}
      {kind === "sign" && prepared && (
        <>
          <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
            <h1 className="mb-3 text-[20px]">
              <Link to={`/patients/${prepared.patient.id}`}>
                {prepared.patient.given} {prepared.patient.family}
              </Link>{" "}
              <span className="small font-sans font-normal">
                born {day(prepared.patient.birthDate)}, {prepared.patient.record}
              </span>
            </h1>
            <div className="max-w-[560px]">
              <Prepared
                key={id}
                order={prepared.order}
                patient={prepared.patient}
                change={() => setChanging(id)}
                done={() => go(next)}
              />
            </div>
          </main>
          {changing === id && (
            <OrderComposer
              key={id}
              from={prepared.order}
              patient={prepared.patient}
              diagnoses={prepared.order.tests
                .flatMap((t) => t.diagnoses)
                .filter((x, i, all) => all.findIndex((y) => y.code === x.code) === i)}
              close={() => setChanging("")}
            />
          )}
        </>
      )}
      {going && (kind === "message" || kind === "fax") && <Going key={id} item={going} next={next} />}
      {(kind === "message" || kind === "fax") && desk.isSuccess && !going && (
        <main id="page" className="small min-w-0 flex-1 bg-leaf p-8">
          It arrived, or was settled.
        </main>
      )}
      {kind === "sign" && desk.isSuccess && !prepared && (
        <main id="page" className="small min-w-0 flex-1 bg-leaf p-8">
          This order was signed, given back or dropped.
        </main>
      )}
      {!kind && (
        <main id="page" className="min-w-0 flex-1 bg-leaf p-8 small">
          {desk.isSuccess && list.length > 0 ? "Choose a line." : ""}
        </main>
      )}
    </div>
  );
}

const ways = [
  ["portal", "Message through the portal", "Alt+p"],
  ["telephone", "By telephone", "Alt+t"],
  ["in person", "In person", "Alt+i"],
  ["letter", "By letter", "Alt+e"],
  ["not told", "Not told, because…", "Alt+n"],
] as const;

function Report({ id, next }: { id: string; next: string }) {
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
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf max-[1179px]:flex-none max-[1179px]:overflow-visible px-6 py-4"
      >
        <div className="mb-3 flex flex-wrap items-baseline gap-x-3">
          <h1 className="text-[20px]">
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
          <h2 className="text-[17px]">{r.title}</h2>
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
          <table className="w-full border-collapse text-[13px]">
            <thead>
              <tr className="label border-b border-rule text-right">
                <th className="py-1 text-left font-semibold">Analyte</th>
                <th className="pl-3 font-semibold">Result</th>
                <th className="pl-5 font-semibold">Range</th>
                {dates.map((d) => (
                  <th key={d} className="pl-5 font-semibold whitespace-nowrap">
                    {day(d)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {values.map((v) => (
                <tr key={v.code + v.name} className="h-[30px] border-b border-rule text-right align-baseline">
                  <th scope="row" className="py-1 text-left font-normal">
                    {v.name}
                    {v.disagree && (
                      <span className="block text-[12.5px] text-carried">
                        We read this value as {v.reading === "in range" ? "in range" : `${v.reading} range`}; the laboratory's
                        flag says otherwise.
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
            </tbody>
          </table>
        </div>
        {r.notes && <p className="mt-3 font-serif text-[15px] whitespace-pre-wrap">{r.notes}</p>}
        {readable.length > 0 && disagree.length === 0 && (
          <p className="small mt-4">
            {readable.length === values.length
              ? `The laboratory's flags and our reading of its ranges agree in ${readable.length === 1 ? "this value" : `all ${readable.length} values`}.`
              : `We could read the range of ${readable.length} of ${values.length} values; there the laboratory's flags and our reading agree.`}
          </p>
        )}
        {(r.reviews ?? []).map((v) => (
          <div key={v.issue} className="mt-4 border-t border-rule pt-2">
            <p className="font-serif text-[15px]">{v.comment || "No comment."}</p>
            <p className="small">
              Signed by {v.by}, {day(v.at)}, {clock(v.at)} · issue {v.issue} · {v.told}
              {v.toldReason && `: ${v.toldReason}`} · folio {v.folio}
            </p>
          </div>
        ))}
      </main>
      <aside
        aria-label="Review"
        className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-[1179px]:w-full max-[1179px]:border-l-0"
      >
        {open && final ? (
          <>
            <label className="label block">
              In the chart
              <textarea
                ref={box}
                rows={5}
                className="box mt-1 border-kelp font-serif text-[16px] text-ink"
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
            <p role="alert" className="my-2 min-h-[21px] text-[13px] text-alarm">
              {error}
            </p>
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
