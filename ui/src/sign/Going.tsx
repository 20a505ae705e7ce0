import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** MessagePage is a message to the patient that has not arrived. */
export const MessagePage = (at: { id: string; next: string }) => <Going kind="message" {...at} />;

/** FaxPage is a fax that has not arrived. */
export const FaxPage = (at: { id: string; next: string }) => <Going kind="fax" {...at} />;

function Going({ kind, id, next }: { kind: "message" | "fax"; id: string; next: string }) {
  const opened = useQuery(asks.sent(kind, id));
  const item = opened.data;
  if (!item || (item.sent.state !== "waiting" && item.sent.state !== "refused"))
    return (
      <main id="page" className="small min-w-0 flex-1 bg-leaf p-8">
        {opened.error ? say(opened.error) : item && "It arrived, or was settled."}
      </main>
    );
  return <Sent item={item} next={next} />;
}

// A refused message or fax is closed by saying how it was done instead.
function Sent({ item, next }: { item: Schemas["OpenedSent"]; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const [how, setHow] = useState("");
  const [error, setError] = useState("");
  const { sent: s, patient: p } = item;
  async function settle() {
    try {
      await got(api.POST("/api/sent/{kind}/{id}/settle", { params: { path: { kind: s.kind, id: s.id } }, body: { how } }));
      await client.invalidateQueries({ queryKey: ["desk"] });
      go(next);
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      <h1 className="mb-1 text-page">
        <Link to={`/patients/${p.id}`}>
          {p.given} {p.family}
        </Link>{" "}
        <span className="small font-sans font-normal">
          born {day(p.birthDate)}, {p.record}, telephone {p.phone || "not recorded"}
        </span>
      </h1>
      <p className="small mb-3">
        {s.kind === "fax" ? `Fax to ${s.to}` : "Message to the patient"}, {s.by}, {day(s.at)}, {clock(s.at)}
      </p>
      <p className="mb-4 max-w-[60ch] font-serif text-title whitespace-pre-line">{s.says}</p>
      {s.state !== "refused" && <p className="margin-note">{s.problem || "On its way."} The line closes when it is taken.</p>}
      {s.state === "refused" && (
        <Form className="margin-note max-w-[560px] border-alarm" act={settle}>
          <p className="font-semibold text-alarm">Refused: {s.problem}</p>
          <label className="label mt-2 block">
            How it was done instead
            <input
              autoFocus
              className="field text-ink"
              placeholder={s.kind === "fax" ? "by mail" : "by telephone"}
              value={how}
              onChange={(e) => setHow(e.target.value)}
            />
          </label>
          <Wrong says={error} className="min-h-[20px]" />
          <button type="submit" className="act">
            Close the line <KeyCap k="Enter" />
          </button>
        </Form>
      )}
    </main>
  );
}
