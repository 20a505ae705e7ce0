import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { day, inDays } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/session";

/** AskAfter says what is awaited of an order, and keeps with whom somebody spoke about it and when it is looked at again. */
export function AskAfter({ row: r }: { row: Schemas["OrderRowView"] }) {
  const client = useQueryClient();
  const may = useRight("ask after an order");
  const { today } = useMe();
  const [open, setOpen] = useState(false);
  const [detail, setDetail] = useState("");
  const [until, setUntil] = useState(inDays(today, 2));
  const [error, setError] = useState("");
  async function keep() {
    setError("");
    try {
      await got(api.POST("/api/orders/{id}/asked-after", { params: { path: { id: r.order.id } }, body: { detail, until } }));
      setOpen(false);
      setDetail("");
      await client.invalidateQueries({ queryKey: ["order"] });
      void client.invalidateQueries({ queryKey: ["orders"] });
      void client.invalidateQueries({ queryKey: ["desk"] });
    } catch (e) {
      setError(say(e));
    }
  }
  if (!r.next.what && r.done.length === 0) return null;
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
        <p key={d.at} className="small">
          {d.by} asked after it, {day(d.at)}: {d.detail}
          {d.until && `; looked at again after ${day(d.until)}`}
        </p>
      ))}
      {may && r.next.what && !open && (
        <button type="button" className="plain py-0" onClick={() => setOpen(true)}>
          I asked after it…
        </button>
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
