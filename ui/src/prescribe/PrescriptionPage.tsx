import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Awaited, Course, moment } from "../kit/Course";
import { Why } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";

/** PrescriptionPage is a prescription with its course, and the act that is due. */
export function PrescriptionPage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.openPrescription(id));
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {opened.data && <Whole key={`${id} ${opened.data.prescription.state}`} opened={opened.data} next={next} />}
    </main>
  );
}

type Asking = "" | "cancel" | "return" | "drop" | "settled" | "left at that";
const asked: Record<Exclude<Asking, "">, { label: string; word: string }> = {
  cancel: { label: "Reason for cancelling", word: "Cancel it" },
  return: { label: "Why it is given back", word: "Give it back" },
  drop: { label: "Why it is taken back", word: "Take it back" },
  settled: { label: "With whom it was settled, and how", word: "It is settled" },
  "left at that": { label: "Why it is left at that", word: "Leave it at that" },
};

function Whole({ opened: { patient: p, prescription: r }, next }: { opened: Schemas["OpenedPrescription"]; next: string }) {
  const client = useQueryClient();
  const go = useNavigate();
  const maySign = useRight("sign a prescription");
  const mayPrepare = useRight("write a prescription for a physician's signature");
  const mayFollow = useRight("say what became of a prescription");
  const { sign, dialog, busy } = useSigning();
  const [asking, setAsking] = useState<Asking>("");
  const [reason, setReason] = useState("");
  const [code, setCode] = useState("");
  const [error, setError] = useState("");
  const at = { params: { path: { id: r.id } } };
  async function run(f: () => Promise<unknown>, onward = false) {
    setError("");
    try {
      await f();
      setAsking("");
      if (onward) go(next);
      await client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["chart"] });
      void client.invalidateQueries({ queryKey: ["prescriptions"] });
    } catch (e) {
      setError(say(e));
    }
  }
  const told = (says: Schemas["PrescriptionTold"]["says"], detail?: string) =>
    run(() => got(api.POST("/api/prescriptions/{id}/told", { ...at, body: { says, detail } })));
  const waits = r.state === "to be signed";
  const signIt = () =>
    void sign({
      title: "Sign the prescription",
      lines: [`${p.given} ${p.family}, born ${day(p.birthDate)}`, r.says, r.reads, `${r.amount}, refills ${r.drug.refills}`],
      act: (secret) =>
        got(
          api.POST("/api/prescriptions/{id}/sign", {
            ...at,
            body: { secret, reason: reason.trim() || undefined, code: code.trim() || undefined },
          }),
        ),
      done: () => void run(async () => {}, true),
      failed: (e) => setError(say(e)),
    });
  useKeys(waits && maySign ? [{ key: "Alt+s", label: "Sign the prescription", run: signIt }] : []);
  const open = !["cancelled", "closed", "being cancelled", "to be signed", "given back", "dispensed though cancelled"].includes(
    r.state,
  );
  return (
    <>
      <Whose patient={p} />
      <p className="mt-3 flex flex-wrap items-baseline justify-between gap-x-4">
        <span>
          <strong className="font-semibold">Prescription</strong> <span className="small font-mono">{r.number}</span>{" "}
          <span className="small">{r.to ? `${r.to}${r.phone && `, telephone ${r.phone}`}` : "printed"}</span>
        </span>
        <span className={r.acts ? "font-semibold text-carried" : "text-faded"}>{r.state}</span>
      </p>
      <p className="mt-1 max-w-[70ch] font-serif text-title">
        <strong className="font-semibold">{r.says}</strong>
        <span className="block">{r.reads}.</span>
        <span className="block">
          {r.amount}
          {r.drug.days ? `, ${r.drug.days} days` : ""}, {r.drug.refills === 0 ? "no refills" : `refills ${r.drug.refills}`}
          {r.drug.asWritten ? ", no substitution" : ""}
          {r.drug.indication ? `, for ${r.drug.indication}` : ""}
        </span>
        {r.drug.note && <span className="block">To the pharmacy: {r.drug.note}</span>}
      </p>
      {r.schedule && (
        <p className="mt-1 text-carried">
          Controlled substance, schedule {r.schedule}.{" "}
          {r.looked
            ? "The state's monitoring programme was looked at."
            : "That the state's monitoring programme was looked at is not recorded."}
        </p>
      )}
      {r.warnings.length > 0 && (
        <p className="mt-1 text-alarm">
          {r.warnings.join("; ")}. {r.why && <span className="text-ink">Prescribed all the same: {r.why}</span>}
        </p>
      )}
      <p className="small mt-1">
        {!r.signedAt
          ? `Written by ${r.by}, not signed`
          : r.taker
            ? `By telephone from ${r.clinician}, taken down by ${r.taker}, ${moment(r.signedAt)}`
            : `Signed by ${r.clinician}, ${moment(r.signedAt)}`}
        {r.replaces && ` · after ${r.replaces}`}
        {r.signedAt && (
          <>
            {" · "}
            <a className="plain py-0" href={`/api/prescriptions/${r.id}/paper.pdf`} target="_blank" rel="noreferrer">
              On paper
            </a>
          </>
        )}
      </p>
      <Awaited what={r.next} by={r.nextBy} late={r.late} />
      {r.reason && <p className={`mt-2 ${r.acts ? "font-semibold text-carried" : "small"}`}>{r.reason}</p>}
      {waits && maySign && (
        <div className="mt-3 flex flex-wrap items-baseline gap-3">
          {r.warnings.length > 0 && (
            <input
              aria-label="Why it is prescribed all the same"
              placeholder="Why it is prescribed all the same"
              className="field mt-0 w-[360px]"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
          )}
          {r.schedule && r.to && (
            <label className="flex items-baseline gap-2 text-small">
              Code of the second factor
              <input className="field mt-0 w-[90px] py-0 font-mono" value={code} onChange={(e) => setCode(e.target.value)} />
            </label>
          )}
          <button type="button" className="act" disabled={busy} onClick={signIt}>
            Sign <KeyCap k="Alt+S" />
          </button>
          <button type="button" className="plain" onClick={() => setAsking("return")}>
            Give it back…
          </button>
        </div>
      )}
      {mayFollow && asking === "" && (
        <p className="mt-3 flex flex-wrap gap-3">
          {["to be printed and handed over", "refused"].includes(r.state) && (
            <button type="button" className="choice" onClick={() => void told("handed over")}>
              Printed and handed over
            </button>
          )}
          {["with the pharmacy", "being filled", "not picked up"].includes(r.state) && (
            <button type="button" className="plain py-0" onClick={() => void told("dispenses")}>
              It was handed out
            </button>
          )}
          {["with the pharmacy", "being filled"].includes(r.state) && (
            <button type="button" className="plain py-0" onClick={() => void told("not picked up")}>
              It was not picked up
            </button>
          )}
          {["on hold", "prior authorization asked", "not picked up"].includes(r.state) && (
            <button type="button" className="choice" onClick={() => setAsking("settled")}>
              Settled with the pharmacy…
            </button>
          )}
          {["on hold", "prior authorization asked", "not picked up", "refused", "dispensed though cancelled"].includes(
            r.state,
          ) && (
            <button type="button" className="plain py-0" onClick={() => setAsking("left at that")}>
              Leave it at that…
            </button>
          )}
          {r.state === "being cancelled" && (
            <button type="button" className="choice" onClick={() => void told("delivered")}>
              The pharmacy knows that it is cancelled
            </button>
          )}
          {maySign && open && (
            <button type="button" className="plain py-0" onClick={() => setAsking("cancel")}>
              Cancel it…
            </button>
          )}
          {mayPrepare && (waits || r.state === "given back") && (
            <button type="button" className="plain py-0" onClick={() => setAsking("drop")}>
              Take it back…
            </button>
          )}
        </p>
      )}
      {asking !== "" && (
        <div className="mt-3">
          <Why
            label={asked[asking].label}
            word={asked[asking].word}
            leave={() => setAsking("")}
            act={(says) => {
              const body = { reason: says };
              if (asking === "settled" || asking === "left at that") return told(asking, says);
              return run(
                () =>
                  got(
                    asking === "cancel"
                      ? api.POST("/api/prescriptions/{id}/cancel", { ...at, body })
                      : asking === "return"
                        ? api.POST("/api/prescriptions/{id}/return", { ...at, body })
                        : api.POST("/api/prescriptions/{id}/drop", { ...at, body }),
                  ),
                asking !== "cancel",
              );
            }}
          />
        </div>
      )}
      <Wrong says={error} className="mt-2 font-semibold" />
      <Course events={r.events} />
      {dialog}
    </>
  );
}
