import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** DeskWords is what a clinician has written for the front desk to tell a patient of results on the telephone, and nothing else of them. */
export function DeskWords({ patient }: { patient: string }) {
  const client = useQueryClient();
  const words = useQuery(asks.deskWords(patient));
  const [telling, setTelling] = useState("");
  const [error, setError] = useState("");
  if (words.error) return <Wrong says={say(words.error)} />;
  if (!words.data || words.data.length === 0) return null;
  return (
    <section aria-label="Results that may be told" className="margin-note mx-10 mt-4 max-w-[70ch] shrink-0 max-phone:mx-4">
      <h2 className="label">Results: this may be told on the telephone, and nothing else. Ask for name and birth date first.</h2>
      {words.data.map((w) => (
        <div key={w.id} className="mt-2">
          <p className="font-serif text-read whitespace-pre-line">{w.text}</p>
          <p className="small">
            {w.by}, {day(w.at)}
            {w.tries.map((t) => ` · ${t.says}, ${t.by}, ${day(t.at)} ${clock(t.at)}`)}
          </p>
          {telling === w.id ? (
            <Why
              label="To whom it was told"
              says="To whom it was told"
              word="Told"
              act={async (whom) => {
                setError("");
                try {
                  await got(api.POST("/api/desk-words/{id}/told", { params: { path: { id: w.id } }, body: { whom } }));
                  setTelling("");
                } catch (e) {
                  setError(say(e));
                }
                await client.invalidateQueries({ queryKey: ["desk-words"] });
              }}
              leave={() => setTelling("")}
            />
          ) : (
            <button type="button" className="plain px-0 py-0" onClick={() => setTelling(w.id)}>
              It was told…
            </button>
          )}
        </div>
      ))}
      <Wrong says={error} />
    </section>
  );
}
