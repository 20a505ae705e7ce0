import { useQuery } from "@tanstack/react-query";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useDraft } from "../frame/left";
import { moment } from "../kit/Course";
import { Form } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useClose } from "../line/useClose";

/** ToExchange is what the exchange has not taken: it closes when it does, or when somebody says how it was given instead. */
export function ToExchange({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.toExchange(id));
  const { d, change, given } = useDraft(
    `exchange ${id}`,
    () => ({ how: "" }),
    (v) => v.how.trim() === "",
  );
  const r = opened.data;
  const { close, error } = useClose(next, r?.patient.id);
  const settle = () =>
    close(() => got(api.POST("/api/exchange/{id}", { params: { path: { id } }, body: { how: d.how } })), given);
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {r && (
        <div className="max-w-[72ch]">
          <Whose patient={r.patient} />
          <h2 className="mt-3 text-title">{r.title}</h2>
          <p className="small mb-3">
            By {r.by}, {moment(r.at)}
          </p>
          {r.closed ? (
            <p className="font-semibold text-settled">The line is closed.</p>
          ) : r.why ? (
            <Form className="margin-note max-w-[560px] border-alarm" act={settle}>
              <p className="font-semibold text-alarm">Not taken: {r.why}</p>
              <label className="label mt-2 block">
                How it was given instead, or why it is not
                <input autoFocus className="field text-ink" value={d.how} onChange={(e) => change({ how: e.target.value })} />
              </label>
              <Wrong says={error} className="min-h-[20px]" />
              <button type="submit" className="act">
                Close the line <KeyCap k="Enter" />
              </button>
            </Form>
          ) : (
            <p className="margin-note">On its way. The line closes when the exchange has taken it.</p>
          )}
        </div>
      )}
    </main>
  );
}
