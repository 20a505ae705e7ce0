import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day, inDays } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";

/** AskAfter says what is awaited of an order, and keeps with whom somebody spoke about it and when it is looked at again;
 * the laboratory is asked, or sent it again, from here. */
export function AskAfter({ row: r }: { row: Schemas["OrderRowView"] }) {
  const client = useQueryClient();
  const may = useRight("ask after an order");
  const { today } = useMe();
  const [open, setOpen] = useState(false);
  const [detail, setDetail] = useState("");
  const [until, setUntil] = useState(inDays(today, 2));
  const [error, setError] = useState("");
  const [busy, setBusy] = useState(false);
  const path = { params: { path: { id: r.order.id } } };
  async function run(act: () => Promise<unknown>) {
    setError("");
    setBusy(true);
    try {
      await act();
      await client.invalidateQueries({ queryKey: ["order"] });
      void client.invalidateQueries({ queryKey: ["orders"] });
      void client.invalidateQueries({ queryKey: ["desk"] });
    } catch (e) {
      setError(say(e));
    }
    setBusy(false);
  }
  const keep = () =>
    run(async () => {
      await got(api.POST("/api/orders/{id}/asked-after", { ...path, body: { detail, until } }));
      setOpen(false);
      setDetail("");
    });
  const asks = !r.order.paper && ["received by the laboratory", "in process", "partial"].includes(r.order.state);
  const again = ["received by the laboratory", "refused"].includes(r.order.state);
  if (!r.next.what && r.done.length === 0 && !(may && again)) return null;
  return (
    <section aria-label="What is awaited" className="mt-3 border-t border-rule pt-2 text-aside">
      {r.next.what && (
        <p>
          {r.next.late && <strong className="font-semibold text-carried">Late: </strong>}
          {r.next.what} by {day(r.next.by)}
          {r.next.unsure && <span className="small">; the list says no turnaround, a week is taken</span>}
        </p>
      )}
      {r.done.map((d) => (
        <p key={d.at + d.says} className={d.says === "told of trouble" ? "font-semibold text-carried" : "small"}>
          {d.says === "told of trouble" && "▲ "}
          {happened(d)}
          {d.says !== "asked" && d.until && `; looked at again after ${day(d.until)}`}
        </p>
      ))}
      {may && !open && (
        <p className="flex flex-wrap gap-x-2">
          {asks && (
            <button
              type="button"
              className="plain py-0"
              disabled={busy}
              onClick={() => void run(() => got(api.POST("/api/orders/{id}/ask", path)))}
            >
              Ask the laboratory
            </button>
          )}
          {again && (
            <button
              type="button"
              className="plain py-0"
              disabled={busy}
              onClick={() => void run(() => got(api.POST("/api/orders/{id}/send-again", path)))}
            >
              Send it again
            </button>
          )}
          {r.next.what && (
            <button type="button" className="plain py-0" onClick={() => setOpen(true)}>
              I asked after it…
            </button>
          )}
        </p>
      )}
      {open && (
        <Form className="mt-1 flex flex-wrap items-baseline gap-3" act={keep} leave={() => setOpen(false)}>
          <input
            autoFocus
            aria-label="With whom, and what they said"
            placeholder="With whom, and what they said"
            className="field mt-0 w-[320px] py-0.5"
            maxLength={1000}
            value={detail}
            onChange={(e) => setDetail(e.target.value)}
          />
          <label className="flex items-baseline gap-2">
            look again on
            <input
              type="date"
              aria-label="Look again on"
              className="field mt-0 w-[130px] py-0"
              value={until}
              onChange={(e) => setUntil(e.target.value)}
            />
          </label>
          <button type="submit" className="plain py-0">
            Keep it
          </button>
        </Form>
      )}
      <Wrong says={error} />
    </section>
  );
}

/** happened says in a line what was done about an order, or what the laboratory said of it. */
export function happened(d: Schemas["DoneView"]) {
  const when = `${day(d.at)}, ${clock(d.at)}`;
  switch (d.says) {
    case "asked":
      return `${d.by} asked ${d.detail}, ${when}`;
    case "sent again":
      return `${d.by} sent it again ${d.detail}, ${when}`;
    case "called":
      return `${d.by} asked after it, ${day(d.at)}: ${d.detail.replace(/\.$/, "")}`;
    default:
      return `The laboratory says, ${when}: ${d.detail}`;
  }
}
