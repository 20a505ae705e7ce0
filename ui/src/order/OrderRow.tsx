import { useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Why } from "../kit/Form";
import { useRight } from "../session/me";

const reportWords: Record<string, string> = { P: "preliminary", F: "final", C: "corrected", X: "cannot be done" };

/** OrderRow is one order with its state, and the act that cancels it. */
export function OrderRow({ order: o, whole = false }: { order: Schemas["OrderView"]; whole?: boolean }) {
  const client = useQueryClient();
  const may = useRight("sign an order");
  const [asking, setAsking] = useState(false);
  const [said, setSaid] = useState("");
  async function cancel(reason: string) {
    try {
      const r = await got(api.POST("/api/orders/{id}/cancel", { params: { path: { id: o.id } }, body: { reason } }));
      setAsking(false);
      setSaid(r.told ? "" : o.notDone || o.state === "refused" ? "Closed." : "Taken back before it was sent: it never goes out.");
      await client.invalidateQueries({ queryKey: ["chart"] });
      await client.invalidateQueries({ queryKey: ["desk"] });
    } catch (x) {
      setSaid(say(x));
    }
  }
  const open = o.notDone || !["final", "reviewed", "cancelled"].includes(o.state); // with all results here there is nothing left to call off
  return (
    <div>
      <span className="float-right ml-3 text-faded">{o.state}</span>
      <span className="font-semibold">Order</span> <span className="font-mono text-small">{o.placer}</span>{" "}
      {(o.tests ?? []).map((t, i) => (
        <span key={t.code}>
          {i > 0 && ", "}
          {t.name}
          {t.status && <span className="small"> ({reportWords[t.status] ?? t.status})</span>}
        </span>
      ))}{" "}
      <span className="small">
        {o.laboratory}, {o.priority}, {o.clinician}
        {o.taker && ` by telephone, taken down by ${o.taker}`}
        {o.due && <> · for {day(o.due)}</>}
        {o.standing && <> · standing, {o.standing}</>}
      </span>
      {whole && (
        <dl className="my-2 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-aside">
          {o.tests.map((t) => (
            <Fragment key={t.code}>
              <dt className="text-faded">{t.name}</dt>
              <dd>
                for {t.diagnoses.map((d) => `${d.code} ${d.title}`).join(", ")}
                {(t.answers ?? []).map((a) => (
                  <span key={a.question} className="block">
                    {a.words}: {a.answer.replace("T", " ")} {a.unit}
                  </span>
                ))}
                {t.remark && <span className="block">Remark: {t.remark}</span>}
                {t.notice && <span className="block">{t.notice}</span>}
              </dd>
            </Fragment>
          ))}
          <dt className="text-faded">Specimen</dt>
          <dd>
            {o.collected
              ? `drawn ${day(o.collected)}, ${clock(o.collected)}`
              : o.drawing === "site"
                ? `at ${o.site || "a site of the laboratory"}`
                : o.drawing === "here"
                  ? "to be drawn here"
                  : "not said"}
            {o.tubes.map((t) => (
              <span key={t.name + t.keep} className="block">
                {t.count} × {t.name}
                {t.keep && `, ${t.keep}`}: {t.tests.join(", ")}
                {t.handling.length > 0 && <span className="small"> · {t.handling.join("; ")}</span>}
              </span>
            ))}
          </dd>
          <dt className="text-faded">Payer</dt>
          <dd>{o.payer}</dd>
          {o.copies.length > 0 && (
            <>
              <dt className="text-faded">Copies</dt>
              <dd>{o.copies.join("; ")}</dd>
            </>
          )}
        </dl>
      )}
      {whole && (
        <p className="mb-2 flex gap-4 text-small">
          <a className="plain py-0" href={`/api/orders/${o.id}/requisition.pdf`} target="_blank" rel="noreferrer">
            Requisition
          </a>
          {o.tubes.length > 0 && (
            <a className="plain py-0" href={`/api/orders/${o.id}/labels.pdf`} target="_blank" rel="noreferrer">
              Labels
            </a>
          )}
        </p>
      )}
      {o.reason && (
        <p className={o.state === "refused" ? "font-semibold text-alarm" : "small"}>
          {o.state === "refused" ? `The laboratory refused it: ${o.reason}` : `Reason: ${o.reason}`}
        </p>
      )}
      {o.cancelling && <p className={o.notDone ? "font-semibold text-alarm" : "small"}>{o.cancelling}</p>}
      {may && open && !asking && (
        <button type="button" className="plain text-small" onClick={() => setAsking(true)}>
          {o.notDone ? "Settled with the laboratory" : "Cancel the order"}
        </button>
      )}
      {asking && (
        <Why
          label={o.notDone ? "How it was settled with the laboratory" : "Reason for cancelling"}
          says={o.notDone ? "With whom, and what they said" : "Why it is cancelled"}
          word={o.notDone ? "Close it" : "Cancel it"}
          act={cancel}
          leave={() => setAsking(false)}
        />
      )}
      <p role="status" className="small">
        {said}
      </p>
    </div>
  );
}
