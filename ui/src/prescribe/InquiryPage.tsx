import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Care } from "../kit/Care";
import { Why } from "../kit/Form";
import { PersonSearch } from "../kit/PersonSearch";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { Prescribe } from "./Prescribe";

/** InquiryPage is what a pharmacy or a patient asks, beside what in the chart it is about; it is approved, refused or
 * answered here. */
export function InquiryPage({ id, next }: { id: string; next: string }) {
  const client = useQueryClient();
  const opened = useQuery(asks.inquiry(id));
  const [writing, setWriting] = useState(false);
  const go = useNavigate();
  const chart = useQuery({
    queryKey: ["inquiry-medicines", opened.data?.patient?.id ?? ""],
    queryFn: () => got(api.GET("/api/patients/{id}", { params: { path: { id: opened.data?.patient?.id ?? "" } } })),
    enabled: writing && !!opened.data?.patient,
  });
  return (
    <>
      <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
        {opened.error && <p className="small">{say(opened.error)}</p>}
        {writing && chart.error && <p className="small">{say(chart.error)}</p>}
        {opened.data && (
          <Whole key={`${id} ${opened.data.patient?.id}`} opened={opened.data} next={next} write={() => setWriting(true)} />
        )}
      </main>
      {writing && opened.data?.patient && chart.data && (
        <Prescribe
          patient={opened.data.patient}
          medicines={chart.data.medicines.map((m) => ({ id: m.id, name: m.name, dose: m.dose }))}
          answers={
            opened.data.inquiry.kind === "repeat"
              ? {
                  inquiry: id,
                  line: [
                    opened.data.inquiry.medicine,
                    opened.data.inquiry.dose,
                    opened.data.inquiry.quantity && `#${opened.data.inquiry.quantity.split(" ")[0]}`,
                  ]
                    .filter(Boolean)
                    .join(" "),
                }
              : undefined
          }
          close={() => {
            setWriting(false);
            void client.fetchQuery({ ...asks.inquiry(id), staleTime: 0 }).then((now) => now.inquiry.state !== "open" && go(next));
          }}
        />
      )}
    </>
  );
}

function Whole({
  opened: { patient: p, inquiry: i, candidates },
  next,
  write,
}: {
  opened: Schemas["OpenedInquiry"];
  next: string;
  write: () => void;
}) {
  const client = useQueryClient();
  const go = useNavigate();
  const maySign = useRight("sign a prescription");
  const mayAnswer = useRight("answer a message or a request");
  const { sign, dialog, busy } = useSigning();
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState("");
  const [answer, setAnswer] = useState("");
  const [request] = useState(() => crypto.randomUUID() as string);
  const [error, setError] = useState("");
  const repeat = i.kind === "repeat";
  const open = i.state === "open";
  const r = i.reading;
  const proposed = i.proposed;
  async function run(f: () => Promise<unknown>, onward = true) {
    setError("");
    try {
      await f();
      setAsking(false);
      if (onward) go(next);
      await client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["chart"] });
    } catch (e) {
      setError(say(e));
    }
  }
  const approve = () => {
    if (!proposed || !p || !r) {
      setError("There is nothing to approve as it is: write the prescription, or refuse it.");
      return;
    }
    if (r.serious && reason.trim() === "") {
      setError("A serious warning: say why it is prescribed all the same.");
      return;
    }
    void sign({
      title: i.to ? "Approve the repeat, sign and send" : "Approve the repeat and sign",
      lines: [`${p.given} ${p.family}, born ${day(p.birthDate)}`, r.says, r.reads, `${r.amount}, refills ${proposed.refills}`],
      act: (secret) =>
        got(
          api.POST("/api/patients/{id}/prescriptions", {
            params: { path: { id: p.id } },
            body: {
              to: i.to || undefined,
              drug: proposed,
              instead: i.onListId || undefined,
              inquiry: i.id,
              reason: reason.trim() || undefined,
              requestId: request,
              secret,
            },
          }),
        ),
      done: () => void run(async () => {}),
      failed: (e) => setError(say(e)),
    });
  };
  const send = () =>
    run(() => got(api.POST("/api/inquiries/{id}/answer", { params: { path: { id: i.id } }, body: { text: answer } })));
  useKeys([
    ...(repeat && open && maySign && p ? [{ key: "Ctrl+Enter", label: "Approve the repeat, and on", run: approve }] : []),
    ...(!repeat && open && mayAnswer
      ? [{ key: "Ctrl+Enter", label: i.back ? "Send this answer, and on" : "Close with this answer", run: () => void send() }]
      : []),
    ...(p && open && maySign ? [{ key: "x", label: "Prescribe", run: write }] : []),
  ]);
  return (
    <>
      {p ? (
        <Whose patient={p} also={`telephone ${p.phone || "not recorded"}`} />
      ) : (
        <h1 className="text-page">Not certain whose</h1>
      )}
      <p className="small mt-1">
        {repeat
          ? `${i.pharmacy || "A pharmacy"} asks for a further prescription`
          : `${i.source === "portal" ? "Through the portal" : `By ${i.source}`}${i.from && `, ${i.from}`}`}{" "}
        · {day(i.at)}, {clock(i.at)}
        {i.by && ` · taken down by ${i.by}`}
        {p && ` · last seen here ${i.seen ? day(i.seen) : "never"}`}
      </p>
      {repeat ? (
        <table className="mt-4 w-full max-w-[860px] text-aside">
          <thead>
            <tr className="border-b border-rule text-left text-small text-faded">
              <th className="w-28 py-1 font-semibold" />
              <th className="w-1/3 font-semibold">Asked for</th>
              <th className="w-1/3 font-semibold">Prescribed before</th>
              <th className="font-semibold">On the list</th>
            </tr>
          </thead>
          <tbody className="align-baseline">
            <tr className="border-b border-rule">
              <th className="py-1.5 text-left text-small font-normal text-faded">Medicine</th>
              <td className="pr-3 font-semibold">{i.medicine}</td>
              <td className="pr-3">{i.last?.says ?? <span className="text-faded">none here</span>}</td>
              <td>{i.onList || <span className="text-faded">not there</span>}</td>
            </tr>
            <tr className="border-b border-rule">
              <th className="py-1.5 text-left text-small font-normal text-faded">Directions</th>
              <td className="pr-3">{i.dose || <span className="text-faded">not said</span>}</td>
              <td className="pr-3">{i.last?.reads}</td>
              <td />
            </tr>
            <tr className="border-b border-rule">
              <th className="py-1.5 text-left text-small font-normal text-faded">Quantity</th>
              <td className="pr-3">{i.quantity || <span className="text-faded">not said</span>}</td>
              <td className="pr-3">
                {i.last && `${i.last.amount}, refills ${i.last.drug.refills}, signed ${day(i.last.signedAt)}, ${i.last.state}`}
              </td>
              <td />
            </tr>
          </tbody>
        </table>
      ) : (
        <p className="mt-3 max-w-[70ch] font-serif text-title whitespace-pre-line">{i.text}</p>
      )}
      {i.note && <p className="mt-2">They write: {i.note}</p>}
      {i.doubt && <p className="mt-2 font-semibold text-carried">Not certain: {i.doubt}.</p>}
      {i.differs.map((x) => (
        <p key={x} className="mt-1 text-carried">
          ▲ {x}
        </p>
      ))}
      {!p && (
        <section aria-label="Whose it is" className="mt-3">
          <p>
            It names {i.named}. {candidates.length === 0 && "Nobody here is like that."}
          </p>
          {maySign && open && (
            <>
              <ul className="my-2">
                {candidates.map((c) => (
                  <li key={c.id} className="flex items-baseline gap-3 py-1">
                    {c.given} {c.family}, born {day(c.birthDate)}, {c.record}
                    <button
                      type="button"
                      className="choice"
                      onClick={() =>
                        void run(
                          () =>
                            got(
                              api.POST("/api/inquiries/{id}/attach", { params: { path: { id: i.id } }, body: { patient: c.id } }),
                            ),
                          false,
                        )
                      }
                    >
                      It is theirs
                    </button>
                  </li>
                ))}
              </ul>
              <PersonSearch
                label="Or find somebody"
                but=""
                chosen={null}
                choose={(c) =>
                  c &&
                  void run(
                    () =>
                      got(api.POST("/api/inquiries/{id}/attach", { params: { path: { id: i.id } }, body: { patient: c.id } })),
                    false,
                  )
                }
              />
            </>
          )}
        </section>
      )}
      {p && repeat && open && r && (
        <div className="mt-3 max-w-[76ch] text-aside">
          <Care warnings={r.warnings} />
          {r.remarks.map((x) => (
            <p key={x.says} className={x.grade === "stop" ? "text-alarm" : x.grade === "mind" ? "text-carried" : "text-faded"}>
              {x.grade === "stop" ? "■ " : x.grade === "mind" ? "▲ " : "? "}
              {x.says}
            </p>
          ))}
        </div>
      )}
      {p && repeat && open && maySign && (
        <>
          {r?.serious && (
            <input
              aria-label="Why it is prescribed all the same"
              placeholder="Why it is prescribed all the same"
              className="field mt-2 block max-w-[60ch]"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
          )}
          {!asking && (
            <p className="mt-4 flex flex-wrap items-baseline gap-3">
              {proposed && (
                <button type="button" className="act" disabled={busy} onClick={approve}>
                  Approve, {i.to ? "sign and send" : "sign and print"} <KeyCap k="Ctrl+Enter" />
                </button>
              )}
              <button type="button" className="choice" onClick={write}>
                Prescribe otherwise <KeyCap k="x" />
              </button>
              <button type="button" className="plain" onClick={() => setAsking(true)}>
                Refuse it…
              </button>
            </p>
          )}
        </>
      )}
      {!p && repeat && open && maySign && !asking && (
        <button type="button" className="plain mt-3" onClick={() => setAsking(true)}>
          It is nobody's here: refuse it…
        </button>
      )}
      {asking && (
        <Why
          label="Why it is refused; the pharmacy is told"
          word="Refuse it"
          act={(text) =>
            run(() => got(api.POST("/api/inquiries/{id}/answer", { params: { path: { id: i.id } }, body: { text } })))
          }
          leave={() => setAsking(false)}
        />
      )}
      {!repeat && open && mayAnswer && (
        <div className="mt-3">
          <textarea
            autoFocus
            aria-label={i.back ? "Answer, which the patient reads in the portal" : "What was answered, and how"}
            placeholder={i.back ? "The patient reads this in the portal" : "What was answered, and how"}
            rows={2}
            className="field block max-w-[70ch]"
            value={answer}
            onChange={(e) => setAnswer(e.target.value)}
          />
          <p className="mt-2 flex gap-3">
            <button type="button" className="act" onClick={() => void send()}>
              {i.back ? "Send this answer" : "Close with this answer"} <KeyCap k="Ctrl+Enter" />
            </button>
            {maySign && (
              <button type="button" className="choice" onClick={write}>
                Prescribe
              </button>
            )}
          </p>
        </div>
      )}
      {!open && (
        <p className="mt-3">
          {i.state} by {i.done}
          {i.answer && `: ${i.answer}`}
          {i.orderId && (
            <>
              {" · "}
              <Link className="plain py-0" to={`/desk/prescription/${i.orderId}`}>
                the prescription
              </Link>
            </>
          )}
        </p>
      )}
      <Wrong says={error} className="mt-2 font-semibold" />
      {dialog}
    </>
  );
}
