import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, Problem, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Awaited, Course, moment } from "../kit/Course";
import { Why } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { reaches, says } from "./Refer";
import { Told } from "./Told";

/** ReferralPage is a referral with its course, and the act that is due. */
export function ReferralPage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.referral(id));
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {opened.data && <Whole key={`${id} ${opened.data.referral.state}`} opened={opened.data} next={next} />}
    </main>
  );
}

function Whole({ opened: { patient: p, referral: r }, next }: { opened: Schemas["OpenedReferral"]; next: string }) {
  const client = useQueryClient();
  const go = useNavigate();
  const maySign = useRight("sign a referral");
  const mayPrepare = useRight("write a referral for a physician's signature");
  const { sign, dialog, busy } = useSigning();
  const [text, setText] = useState("");
  const [reason, setReason] = useState(""); // why it is ordered in spite of a serious warning
  const [serious, setSerious] = useState(r.warnings.length > 0 && r.state === "to be signed");
  const [asking, setAsking] = useState<"" | "cancel" | "return" | "drop">("");
  const [error, setError] = useState("");
  const at = { params: { path: { id: r.id } } };
  const refresh = async () => {
    await client.invalidateQueries({ queryKey: ["desk"] });
    void client.invalidateQueries({ queryKey: ["chart"] });
    void client.invalidateQueries({ queryKey: ["referrals"] });
  };
  async function run(f: () => Promise<unknown>, onward = false) {
    setError("");
    try {
      await f();
      setAsking("");
      setText("");
      if (onward) go(next);
      await refresh();
    } catch (e) {
      setError(say(e));
    }
  }
  const here = r.kind === "vaccine";
  const waits = r.state === "to be signed";
  const report = r.state === "report to be read";
  const reports = r.events.filter((e) => e.document);
  const signs = (title: string, act: (secret?: string) => Promise<unknown>) =>
    void sign({
      title,
      lines: [
        `${p.given} ${p.family}, born ${day(p.birthDate)}`,
        r.kind === "referral" ? says(r.to) : `${r.title}, ${says(r.to)}`,
        r.question,
      ],
      act,
      done: () => void run(async () => {}, true),
      failed: (e) => {
        setError(say(e));
        if (e instanceof Problem && e.kind === "reason") setSerious(true);
      },
    });
  const read = () =>
    signs("Sign the report as read", (secret) =>
      got(api.POST("/api/referrals/{id}/read", { ...at, body: { comment: text, secret } })),
    );
  const signIt = () =>
    signs("Sign and send it", (secret) =>
      got(api.POST("/api/referrals/{id}/sign", { ...at, body: { secret, reason: reason.trim() || undefined } })),
    );
  useKeys([
    ...(report && maySign ? [{ key: "Ctrl+Enter", label: "Sign the report as read, and on", run: read }] : []),
    ...(waits && maySign ? [{ key: "Alt+s", label: "Sign and send the referral", run: signIt }] : []),
  ]);
  const cancellable =
    maySign && !["cancelled", "closed", "being cancelled", "to be signed", "given back", "report to be read"].includes(r.state);
  return (
    <>
      <Whose patient={p} />
      <p className="mt-3 flex flex-wrap items-baseline justify-between gap-x-4">
        <span>
          <strong className="font-semibold">{r.kind === "referral" ? `Referral to ${says(r.to)}` : r.title}</strong>{" "}
          <span className="small">
            <span className="font-mono">{r.number}</span>
            {here
              ? " · vaccine, given here"
              : `${r.kind !== "referral" ? ` · ${r.kind} at ${says(r.to)}` : ""} · ${reaches(r.to)}`}
            {r.to.phone && ` · telephone ${r.to.phone}`}
          </span>
        </span>
        <span className={r.acts ? "font-semibold text-carried" : "text-faded"}>{r.state}</span>
      </p>
      {r.question && <p className="mt-1 max-w-[70ch] font-serif text-title whitespace-pre-line">{r.question}</p>}
      {r.details.map((x) => (
        <p key={x}>{x}</p>
      ))}
      {r.warnings.map((w) => (
        <p key={w} className="text-alarm">
          <span className="font-semibold">■ </span>
          {w}.
        </p>
      ))}
      {r.why && <p className="small">Ordered all the same: {r.why}</p>}
      {r.speaks && <p className="small">An interpreter is asked for: {r.speaks}</p>}
      <p className="small mt-1">
        For {r.diagnoses.map((d) => `${d.title} (${d.code})`).join(", ")} · {r.urgency} ·{" "}
        {r.kind === "supply" ? "wanted by" : "report wanted by"} {day(r.expected)} ·{" "}
        {r.signedAt
          ? r.taker
            ? `by telephone from ${r.clinician}, taken down by ${r.taker}, ${moment(r.signedAt)}`
            : `signed by ${r.clinician}, ${moment(r.signedAt)}`
          : `written by ${r.by}, not signed`}{" "}
        ·{" "}
        {!here && (
          <>
            <a className="plain py-0" href={`/api/referrals/${r.id}/letter.pdf`} target="_blank" rel="noreferrer">
              {r.kind === "referral" ? "Letter" : "Order on paper"}
            </a>{" "}
            ·{" "}
            <a className="plain py-0" href={`/api/referrals/${r.id}/sheet.pdf`} target="_blank" rel="noreferrer">
              Sheet for the patient
            </a>
          </>
        )}
      </p>
      {r.parts.length > 0 && (
        <details className="mt-1 text-aside" open={waits}>
          <summary className="small cursor-pointer">Goes along: {r.parts.map((x) => x.title.toLowerCase()).join(", ")}</summary>
          {r.parts.map((x) => (
            <div key={x.id} className="mt-1 border-l-[3px] border-edge pl-3">
              <h3 className="text-small font-semibold text-kelp">{x.title}</h3>
              <p className="font-serif whitespace-pre-line">{x.text}</p>
            </div>
          ))}
        </details>
      )}
      <Awaited what={r.next} by={r.nextBy} late={r.late} />
      {r.reason && !report && <p className={`mt-2 ${r.acts ? "font-semibold text-carried" : "small"}`}>{r.reason}</p>}
      {report &&
        reports.slice(-1).map((e) => (
          <section key={e.id} aria-label="The report" className="mt-3 border-l-[3px] border-kelp pl-4">
            <p className="small">
              Came {moment(e.at)}, {e.by ? `recorded by ${e.by}` : "from their system"} ·{" "}
              <a className="plain py-0" href={`/api/documents/${e.document}`} target="_blank" rel="noreferrer">
                Open it as PDF
              </a>
            </p>
            {e.detail && <p className="mt-1 max-w-[70ch] font-serif text-title whitespace-pre-line">{e.detail}</p>}
            {!e.detail && <p className="mt-1">It came as a PDF: open it before you sign.</p>}
          </section>
        ))}
      {report && maySign && (
        <div className="mt-3">
          <textarea
            autoFocus
            aria-label="Comment to the report"
            placeholder="What it means, and what is done now"
            rows={2}
            className="field block max-w-[70ch]"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <button type="button" className="act mt-2" disabled={busy} onClick={read}>
            Sign as read <KeyCap k="Ctrl+Enter" />
          </button>
        </div>
      )}
      {waits && maySign && serious && (
        <input
          aria-label="Why it is ordered all the same"
          placeholder="Why it is ordered all the same"
          className="field mt-2 block max-w-[70ch] border-alarm"
          maxLength={1000}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
      )}
      {waits && maySign && (
        <p className="mt-3 flex gap-3">
          <button type="button" className="act" disabled={busy} onClick={signIt}>
            Sign and send <KeyCap k="Alt+S" />
          </button>
          <button type="button" className="plain" onClick={() => setAsking("return")}>
            Give it back…
          </button>
        </p>
      )}
      {r.state === "they ask back" && maySign && (
        <div className="mt-2">
          <textarea
            autoFocus
            aria-label="Answer to their question"
            rows={2}
            className="field block max-w-[70ch]"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <button
            type="button"
            className="act mt-2"
            onClick={() => void run(() => got(api.POST("/api/referrals/{id}/answer", { ...at, body: { text } })))}
          >
            Send the answer
          </button>
        </div>
      )}
      {!waits && r.state !== "given back" && <Told referral={r} done={() => void refresh()} />}
      <p className="mt-2 flex gap-3 text-small">
        {cancellable && asking === "" && (
          <button type="button" className="plain py-0" onClick={() => setAsking("cancel")}>
            Cancel it…
          </button>
        )}
        {mayPrepare && (waits || r.state === "given back") && asking === "" && (
          <button type="button" className="plain py-0" onClick={() => setAsking("drop")}>
            Take it back…
          </button>
        )}
      </p>
      {asking !== "" && (
        <Why
          label={asking === "cancel" ? "Reason for cancelling" : "Why"}
          word={asking === "cancel" ? "Cancel it" : asking === "return" ? "Give it back" : "Take it back"}
          act={(why) =>
            run(
              () =>
                got(
                  asking === "cancel"
                    ? api.POST("/api/referrals/{id}/cancel", { ...at, body: { text: why } })
                    : asking === "return"
                      ? api.POST("/api/referrals/{id}/return", { ...at, body: { text: why } })
                      : api.POST("/api/referrals/{id}/drop", { ...at, body: { text: why } }),
                ),
              asking !== "cancel",
            )
          }
          leave={() => setAsking("")}
        />
      )}
      <Wrong says={error} className="mt-2 font-semibold" />
      <Course events={r.events} />
      {dialog}
    </>
  );
}
