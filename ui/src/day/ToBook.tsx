import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { day } from "../frame/time";
import { Form, Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** ToBook lists the follow-ups that wait for a date, for those who book. */
export function ToBook() {
  const open = useQuery(asks.followUps());
  if (!open.data || open.data.length === 0) return null;
  return (
    <section aria-label="To book" className="mt-8">
      <h2 className="mb-1 text-title">To book</h2>
      <ul className="border-t border-rule text-aside">
        {open.data.map((f) => (
          <Row key={f.id} wish={f} />
        ))}
      </ul>
    </section>
  );
}

function Row({ wish: f }: { wish: Schemas["FollowUpView"] }) {
  const client = useQueryClient();
  const [on, setOn] = useState(f.due);
  const [time, setTime] = useState("09:00");
  const [dropping, setDropping] = useState(false);
  const [error, setError] = useState("");
  async function run(call: Promise<unknown>) {
    try {
      await call;
      await client.invalidateQueries({ queryKey: ["follow-ups"] });
      await client.invalidateQueries({ queryKey: ["day"] });
    } catch (e) {
      setError(say(e));
    }
  }
  const params = { path: { id: f.id } };
  const name = `${f.patient.given} ${f.patient.family}`;
  return (
    <li className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1.5">
      <span className="w-56 text-read font-semibold">{name}</span>
      <span className="flex-1">
        {f.reason}{" "}
        <span className="text-faded">
          {f.said}, by {day(f.due)} · {f.clinician} · {f.patient.phone}
        </span>
      </span>
      {dropping ? (
        <Why
          label={`Why ${name} is not booked`}
          word="Drop"
          act={(reason) => run(got(api.POST("/api/follow-ups/{id}/drop", { params, body: { reason } })))}
          leave={() => setDropping(false)}
        />
      ) : (
        <Form
          className="flex items-baseline gap-2"
          act={() =>
            run(got(api.POST("/api/follow-ups/{id}/book", { params, body: { day: on, time, kind: "Follow-up visit" } })))
          }
        >
          <input
            aria-label={`Day for ${name}`}
            className="field w-28 py-0.5"
            value={on}
            onChange={(e) => setOn(e.target.value)}
          />
          <input
            aria-label={`Time for ${name}`}
            className="field w-16 py-0.5"
            value={time}
            onChange={(e) => setTime(e.target.value)}
          />
          <button type="submit" className="choice py-0.5">
            Book
          </button>
          <button type="button" className="plain py-0" onClick={() => setDropping(true)}>
            Drop…
          </button>
        </Form>
      )}
      {error && <Wrong says={error} className="basis-full" />}
    </li>
  );
}
