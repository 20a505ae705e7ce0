import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Form, Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type ToDraw = Schemas["ToDrawView"];

/** Specimens is the list of the drawing room: what is to be drawn here, and what waits for the courier. */
export function Specimens() {
  const list = useQuery(asks.specimens());
  const client = useQueryClient();
  const [error, setError] = useState("");
  const [said, setSaid] = useState("");
  const due = list.data?.toDraw ?? [];
  const waiting = list.data?.waiting ?? [];
  async function run(words: string, act: () => Promise<unknown>) {
    setError("");
    try {
      await act();
      setSaid(words);
      await client.invalidateQueries({ queryKey: ["specimens"] });
      void client.invalidateQueries({ queryKey: ["chart"] });
    } catch (e) {
      setError(say(e));
    }
  }
  const courier = () =>
    void run("The courier took them.", () =>
      got(api.POST("/api/specimens/picked-up", { body: { orders: waiting.map((w) => w.order.id) } })),
    );
  useKeys(waiting.length > 0 ? [{ key: "c", label: "The courier took all that waits", run: courier }] : []);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <div className="max-w-[900px]">
        <h1 className="mb-1 text-page">To be drawn</h1>
        {list.error && <p className="small">{say(list.error)}</p>}
        <Wrong says={error} />
        <p role="status" className="small">
          {said}
        </p>
        {list.data && due.length === 0 && (
          <p className="small mt-2">Nothing is to be drawn here today. What is signed to be drawn here stands in this list.</p>
        )}
        {list.data?.cut && (
          <p className="text-aside text-carried">Only the first {due.length} are listed; the next come when these are drawn.</p>
        )}
        <ul>
          {due.map((d) => (
            <Draw key={d.order.id} d={d} run={run} />
          ))}
        </ul>
        <Here />
        <div className="mt-7 flex items-baseline justify-between border-b border-rule pb-1">
          <h2 className="text-title">Waits for the courier</h2>
          {waiting.length > 0 && (
            <button type="button" className="choice py-0.5" onClick={courier}>
              All picked up <KeyCap k="c" />
            </button>
          )}
        </div>
        {list.data && waiting.length === 0 && <p className="small mt-2">Nothing waits.</p>}
        <ul>
          {waiting.map((w) => (
            <li
              key={w.order.id}
              className="grid grid-cols-[200px_1fr_auto] items-baseline gap-x-4 border-b border-rule py-1.5 text-aside"
            >
              <Link className="font-semibold hover:underline" to={`/patients/${w.patient.id}`}>
                {w.patient.given} {w.patient.family}
              </Link>
              <span>
                {w.order.tubes.map((t) => `${t.count} × ${t.name}`).join(", ")}
                <span className="small"> · {w.order.laboratory}</span>
              </span>
              <span className="small">
                drawn {day(w.at)}, {clock(w.at)}, {w.by}
              </span>
            </li>
          ))}
        </ul>
      </div>
    </main>
  );
}

function Draw({ d, run }: { d: ToDraw; run: (words: string, act: () => Promise<unknown>) => Promise<void> }) {
  const [asking, setAsking] = useState<"" | "time" | "why">("");
  const [at, setAt] = useState("");
  const path = { params: { path: { id: d.order.id } } };
  const drawn = (when: string) =>
    run(`${d.patient.given} ${d.patient.family}: drawn, and on its way.`, () =>
      got(api.POST("/api/orders/{id}/drawn", { ...path, body: { at: when } })),
    );
  return (
    <li data-order={d.order.id} className="border-b border-rule py-3">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <Link className="text-read font-semibold hover:underline" to={`/patients/${d.patient.id}`}>
          {d.patient.given} {d.patient.family}
        </Link>
        <span className="small">
          born {day(d.patient.birthDate)} · {d.patient.record} · {d.order.placer}
          {d.order.due && ` · for ${day(d.order.due)}`}
          {d.order.priority !== "routine" && <strong className="font-semibold text-ink"> · {d.order.priority}</strong>}
        </span>
      </div>
      <ol className="mt-1 text-aside">
        {d.order.tubes.map((t) => (
          <li key={t.name + t.keep + t.codes.join()}>
            {t.count} × <strong className="font-semibold">{t.name}</strong>
            {t.unsure ? ", volume not in the list" : t.volume > 0 && `, ${t.volume} mL ${t.specimen}`}
            {t.keep && `, ${t.keep}`}
            <span className="small">
              {" "}
              · {t.tests.join(", ")}
              {t.handling.length > 0 && ` · ${t.handling.join("; ")}`}
            </span>
          </li>
        ))}
      </ol>
      {d.fasting > 0 && <p className="text-aside font-semibold">Fasting for {d.fasting} h: ask.</p>}
      {d.failed && <p className="text-aside text-carried">Could not be drawn: {d.failed}</p>}
      <div className="mt-1 flex flex-wrap items-baseline gap-x-4">
        {asking === "why" ? (
          <Why
            label="Why it could not be drawn"
            says="Why, and what happens next"
            word="Keep it on the list"
            act={(reason) =>
              run("It stays on the list, and who ordered it knows.", () =>
                got(api.POST("/api/orders/{id}/not-drawn", { ...path, body: { reason } })),
              ).then(() => setAsking(""))
            }
            leave={() => setAsking("")}
          />
        ) : asking === "time" ? (
          <Form className="flex items-baseline gap-3" act={() => drawn(at)} leave={() => setAsking("")}>
            <input
              autoFocus
              type="datetime-local"
              aria-label="Drawn at"
              className="field mt-0 w-[200px] py-0"
              value={at}
              onChange={(e) => setAt(e.target.value)}
            />
            <button type="submit" className="plain py-0">
              Drawn then
            </button>
          </Form>
        ) : (
          <>
            <button type="button" className="choice py-0.5" onClick={() => void drawn("")}>
              Drawn now<span className="sr-only">, {d.patient.family}</span>
            </button>
            <button type="button" className="plain py-0" onClick={() => setAsking("time")}>
              Drawn earlier…
            </button>
            <button type="button" className="plain py-0" onClick={() => setAsking("why")}>
              Could not be drawn…
            </button>
            <a className="plain py-0" href={`/api/orders/${d.order.id}/labels.pdf`} target="_blank" rel="noreferrer">
              Labels
            </a>
          </>
        )}
      </div>
    </li>
  );
}

// What was ordered to be given here: it is recorded at the intake, with its lot and maker, and leaves the list by itself.
function Here() {
  const list = useQuery(asks.here());
  if (!list.data || list.data.length === 0) return null;
  return (
    <section aria-label="To be given here" className="mt-7">
      <h2 className="border-b border-rule pb-1 text-title">To be given here</h2>
      <ul>
        {list.data.map(({ patient: p, referral: r }) => (
          <li
            key={r.id}
            className="grid grid-cols-[200px_1fr_auto] items-baseline gap-x-4 border-b border-rule py-1.5 text-aside"
          >
            <Link className="font-semibold hover:underline" to={`/patients/${p.id}`}>
              {p.given} {p.family}
            </Link>
            <span>
              {r.title}
              <span className="small">
                {" "}
                · ordered by {r.clinician}
                {r.question && ` · ${r.question}`}
                {r.details.map((d) => ` · ${d}`).join("")}
              </span>
            </span>
            <span className="flex gap-3 text-small">
              {r.late && <strong className="font-semibold text-carried">late</strong>}
              {r.visitId && (
                <Link className="plain py-0" to={`/visits/${r.visitId}/intake`}>
                  Record it
                </Link>
              )}
              <Link className="plain py-0" to={`/desk/referral/${r.id}`}>
                Open
              </Link>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
