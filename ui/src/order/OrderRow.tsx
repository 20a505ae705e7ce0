import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { useRight } from "../session/session";

const reportWords: Record<string, string> = { P: "preliminary", F: "final", C: "corrected", X: "cannot be done" };

/** OrderRow is one order with its state, and the act that cancels it. */
export function OrderRow({ order: o }: { order: Schemas["OrderView"] }) {
  const client = useQueryClient();
  const may = useRight("sign an order");
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState("");
  const [said, setSaid] = useState("");
  async function cancel(e: FormEvent) {
    e.preventDefault();
    try {
      const r = await got(api.POST("/api/orders/{id}/cancel", { params: { path: { id: o.id } }, body: { reason } }));
      setAsking(false);
      setSaid(
        r.callLaboratory
          ? `The laboratory may know of this order already. Call ${o.laboratory}.`
          : "Taken back before it was sent.",
      );
      await client.invalidateQueries({ queryKey: ["chart"] });
      await client.invalidateQueries({ queryKey: ["desk"] });
    } catch (x) {
      setSaid(say(x));
    }
  }
  const open = !["final", "reviewed", "cancelled"].includes(o.state); // with all results here there is nothing left to call off
  return (
    <div>
      <span className="float-right text-faded">{o.state}</span>
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
      </span>
      {o.reason && (
        <p className={o.state === "refused" ? "font-semibold text-alarm" : "small"}>
          {o.state === "refused" ? `The laboratory refused it: ${o.reason}` : `Reason: ${o.reason}`}
        </p>
      )}
      {may && open && !asking && (
        <button type="button" className="plain text-small" onClick={() => setAsking(true)}>
          Cancel the order
        </button>
      )}
      {asking && (
        <form onSubmit={cancel} className="mt-1 flex items-end gap-3">
          <label className="label flex-1">
            Reason for cancelling
            <input autoFocus className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
          </label>
          <button type="submit" className="choice">
            Cancel it
          </button>
          <button type="button" className="plain" onClick={() => setAsking(false)}>
            Keep it
          </button>
        </form>
      )}
      <p role="status" className="small">
        {said}
      </p>
    </div>
  );
}
