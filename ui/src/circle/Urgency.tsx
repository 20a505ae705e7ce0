import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** Urgency is how the clinic deals with critical values: after how long they go on, and who is on call. */
export function Urgency() {
  const urgency = useQuery(asks.urgency());
  return urgency.data ? <Change key={JSON.stringify(urgency.data)} at={urgency.data} /> : null;
}

function Change({ at }: { at: Schemas["Urgency"] }) {
  const client = useQueryClient();
  const [minutes, setMinutes] = useState(String(at.minutes));
  const [people, setPeople] = useState(at.onCall.map((c) => `${c.name}, ${c.telephone}`).join("\n"));
  const [error, setError] = useState("");
  async function keep() {
    setError("");
    const onCall = people
      .split("\n")
      .filter((l) => l.trim() !== "")
      .map((l) => {
        const at = l.lastIndexOf(",");
        return { name: l.slice(0, Math.max(0, at)).trim(), telephone: l.slice(at + 1).trim() };
      });
    if (onCall.some((c) => !c.name || !c.telephone)) return setError("Write each on a line: name, telephone.");
    try {
      await got(api.PUT("/api/urgency", { body: { minutes: Number(minutes), onCall } }));
      await client.invalidateQueries({ queryKey: ["urgency"] });
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <section>
      <h2 className="text-title">Critical values</h2>
      <p className="small mb-2">
        Announced to who answers for it; not taken up, it goes on to the cover, to everybody who may sign, and to who is on call.
      </p>
      <Form act={keep}>
        <label className="label block">
          Goes on after so many minutes
          <input
            type="number"
            min={1}
            max={120}
            className="field block w-24 text-ink"
            value={minutes}
            onChange={(e) => setMinutes(e.target.value)}
          />
        </label>
        <label className="label mt-2 block">
          On call, a line each: name, telephone
          <textarea rows={3} className="box text-ink" value={people} onChange={(e) => setPeople(e.target.value)} />
        </label>
        <Wrong says={error} className="text-aside" />
        <button type="submit" className="choice mt-2">
          Keep
        </button>
      </Form>
    </section>
  );
}
